import { Box, Flex, Text, chakra } from '@chakra-ui/react'
import {
  DndContext,
  DragOverlay,
  KeyboardSensor,
  MouseSensor,
  TouchSensor,
  useDraggable,
  useDroppable,
  useSensor,
  useSensors,
  type DragEndEvent,
  type KeyboardCoordinateGetter,
} from '@dnd-kit/core'
import { useState } from 'react'
import type { Schemas } from '../ui/client'
import { longDay } from '../ui/format'
import { of, plus } from './days'
import { signs, weeks, type Item } from './plan'

const names = ['Mon', 'Tue', 'Wed', 'Thu', 'Fri', 'Sat', 'Sun']

type Props = {
  from: string
  to: string
  now: string
  plan?: Schemas['Plan']
  /** Whose plan is shown; empty: everybody's. */
  athlete: string
  onOpen: (item: Item) => void
  onNew: (day: string) => void
  /** A line was dropped on another day; with Ctrl held it is copied. */
  onMove: (item: Item, day: string, copy: boolean) => void
}

/** Arrow keys carry a line from day to day: sideways by one, up and down by a week. */
const byDays: KeyboardCoordinateGetter = (e, { currentCoordinates: c, context }) => {
  const by = { ArrowLeft: [-1, 0], ArrowRight: [1, 0], ArrowUp: [0, -1], ArrowDown: [0, 1] }[e.code]
  const cell = context.droppableRects.values().next().value
  if (!by || !cell) return
  e.preventDefault()
  return { x: c.x + by[0] * (cell.width + 1), y: c.y + by[1] * (cell.height + 1) }
}

/** The weeks, day by day. Lines are dragged with the mouse, a finger or the keyboard (Space, arrows, Space). */
export function WeekGrid({ from, to, now, plan, athlete, onOpen, onNew, onMove }: Props) {
  const [carried, setCarried] = useState<Item>()
  const sensors = useSensors(
    useSensor(MouseSensor, { activationConstraint: { distance: 6 } }),
    useSensor(TouchSensor, { activationConstraint: { delay: 220, tolerance: 8 } }),
    useSensor(KeyboardSensor, {
      coordinateGetter: byDays,
      keyboardCodes: { start: ['Space'], cancel: ['Escape'], end: ['Space', 'Enter'] },
    }),
  )
  const drop = (e: DragEndEvent) => {
    setCarried(undefined)
    const item = plan?.items.find((i) => i.id === e.active.id)
    const day = e.over?.id
    const held = e.activatorEvent as MouseEvent
    if (item && day && item.day !== day) onMove(item, String(day), !!(held.ctrlKey || held.altKey))
  }
  const phaseOn = (day: string) => plan?.phases.find((x) => x.from <= day && day <= x.to)
  return (
    <DndContext
      sensors={sensors}
      onDragStart={(e) => setCarried(plan?.items.find((i) => i.id === e.active.id))}
      onDragCancel={() => setCarried(undefined)}
      onDragEnd={drop}
    >
      <Box
        display="grid"
        gridTemplateColumns="repeat(7, minmax(0, 1fr))"
        gap="1px"
        bg="hair"
        borderWidth="1px"
        borderColor="hair"
        borderRadius="8px"
        overflow="hidden"
        role="group"
        aria-label={`Plan from ${longDay(from)} to ${longDay(to)}`}
      >
        {names.map((n) => (
          <Text key={n} bg="paper" px="8px" py="3px" color="soft" fontSize="12.5px">
            {n}
          </Text>
        ))}
        {Array.from({ length: 7 * weeks }, (_, i) => plus(from, i)).map((day) => {
          const phase = phaseOn(day)
          const named = phase && (phase.from === day || day === from || of(day).getDay() === 1)
          return (
            <Day
              key={day}
              day={day}
              now={now}
              first={day === from}
              phase={named ? phase.name : undefined}
              onNew={onNew}
            >
              {plan?.items
                .filter((i) => i.day === day)
                .map((i) => (
                  <Line
                    key={i.id}
                    item={i}
                    against={plan.cautions.filter((c) => c.item === i.id)}
                    whose={!athlete}
                    onOpen={onOpen}
                  />
                ))}
            </Day>
          )
        })}
      </Box>
      <DragOverlay>
        {carried && (
          <Box bg="raised" borderWidth="1px" borderColor="ink" borderRadius="6px" p="4px 8px" fontSize="12.5px">
            {signs[carried.kind]} {carried.words}
          </Box>
        )}
      </DragOverlay>
    </DndContext>
  )
}

function Day({
  day,
  now,
  first,
  phase,
  onNew,
  children,
}: {
  day: string
  now: string
  first: boolean
  phase?: string
  onNew: (day: string) => void
  children: React.ReactNode
}) {
  const { setNodeRef, isOver } = useDroppable({ id: day })
  const date = of(day).getDate()
  return (
    <Box
      ref={setNodeRef}
      role="group"
      data-day={day}
      aria-label={longDay(day)}
      bg={isOver ? 'band' : day === now ? 'paper' : 'raised'}
      minH="108px"
      p="4px"
      minW="0"
      opacity={day < now ? 0.85 : 1}
    >
      <Flex gap="6px" align="baseline" minH="22px">
        <chakra.button
          aria-label={`Add a line on ${longDay(day)}`}
          fontWeight={day === now ? 700 : 600}
          minW="26px"
          textAlign="left"
          cursor="pointer"
          textDecoration={day === now ? 'underline' : 'none'}
          onClick={() => onNew(day)}
        >
          {date === 1 || first ? `${date} ${longDay(day).split(' ')[1].slice(0, 3)}` : date}
        </chakra.button>
        {phase && (
          <Text fontSize="11.5px" color="soft" truncate title={phase}>
            {phase}
          </Text>
        )}
      </Flex>
      {children}
    </Box>
  )
}

/** A line of the plan, with what speaks against it. */
function Line({
  item,
  against,
  whose,
  onOpen,
}: {
  item: Item
  against: Schemas['Caution'][]
  whose: boolean
  onOpen: (item: Item) => void
}) {
  const { setNodeRef, attributes, listeners, isDragging } = useDraggable({
    id: item.id,
    attributes: { roleDescription: 'line of the plan: Space carries it to another day' },
  })
  const held = against.some((c) => c.hold)
  const own = item.kind === 'refilm' || item.kind === 'meet' ? 'brick' : 'sky'
  const tone = held ? 'plum' : against.length ? 'ochre' : own
  const says = [`${item.athlete}: ${item.words}`, item.dose, ...against.map((c) => c.says)]
  return (
    <chakra.button
      ref={setNodeRef}
      {...attributes}
      {...listeners}
      data-line={item.id}
      onClick={() => onOpen(item)}
      title={says.filter(Boolean).join('\n')}
      display="block"
      w="100%"
      textAlign="left"
      borderLeftWidth="3px"
      borderColor={tone}
      pl="5px"
      mb="3px"
      fontSize="12.5px"
      lineHeight="1.25"
      cursor="grab"
      touchAction="manipulation"
      opacity={isDragging ? 0.4 : item.state === 'skipped' ? 0.6 : 1}
    >
      <chakra.span fontWeight="600">
        {item.state === 'done' ? '✓ ' : held ? '✕ ' : `${signs[item.kind]} `}
        {whose && item.athlete?.split(' ')[0]}
      </chakra.span>{' '}
      <chakra.span textDecoration={item.state === 'skipped' ? 'line-through' : 'none'}>
        {item.words.length > 44 ? `${item.words.slice(0, 43)}…` : item.words}
      </chakra.span>
      {held && (
        <chakra.span color="plum" fontWeight="600">
          {' '}
          held
        </chakra.span>
      )}
      {!held && against.length > 0 && (
        <chakra.span color="ochre" fontWeight="600">
          {' '}
          !
        </chakra.span>
      )}
    </chakra.button>
  )
}
