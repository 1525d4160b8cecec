import { Box, Flex, Text, chakra } from '@chakra-ui/react'
import { useQuery } from '@tanstack/react-query'
import { useEffect, useMemo, useRef, useState } from 'react'
import { ask, client, type Clip } from '../../ui/client'
import { roleOf, type BenchContext } from '../benchModel'
import type { Frames } from '../frames'
import { StageChoice } from '../stage/StageChoice'
import { FittedDrawing, type Side } from './fittedDrawing'
import { bodyOn, limbsOf, type FittedMovement, type Limb } from './fittedMovement'
import { LimbCard } from './LimbCard'

type Props = {
  context: BenchContext
  clip: Clip
  frames: Frames
  frame: number
  arrivals: number
  onClose: () => void
}

/** How high the row of choices is. */
const bar = '48px'

const sides: [Side, string][] = [
  ['film', 'as filmed'],
  ['above', 'from above'],
  ['side', 'from the side'],
  ['front', 'from the front'],
]

/** The body that was fitted to the film, over its picture or turned to any side. */
export function FittedStage(props: Props) {
  const { id, version } = props.context.bench
  const fitted = useQuery({
    queryKey: ['fitted body', id, version],
    staleTime: Infinity,
    retry: false,
    queryFn: () => ask(client.GET('/api/attempts/{id}/fits/body', { params: { path: { id } } })),
  })
  return (
    <Box position="relative" flex="1" minH="0" bg="stage" overflow="hidden" color="chalk">
      {fitted.data ? (
        <Fitted {...props} movement={fitted.data} />
      ) : (
        <Flex h="100%" align="center" justify="center">
          <Text role={fitted.error ? 'alert' : 'status'}>{fitted.error?.message ?? 'The body is coming…'}</Text>
        </Flex>
      )}
      <Box position="absolute" top="12px" right="12px">
        <StageChoice label="Back to the picture" onClick={props.onClose}>
          Picture
        </StageChoice>
      </Box>
    </Box>
  )
}

function Fitted({
  context,
  clip,
  frames,
  frame,
  arrivals,
  onClose,
  movement,
}: Props & { movement: FittedMovement }) {
  const [side, setSide] = useState<Side | undefined>('film')
  const [beside, setBeside] = useState(false)
  const [open, setOpen] = useState(true)
  const [limb, setLimb] = useState<Limb>()
  const { bench, go } = context
  const tall = useHeight(movement)
  const { holder, paper, drawing, broken } = useDrawing(movement, clip, bench, tall, () => setSide(undefined))
  const limbs = useMemo(() => limbsOf(movement), [movement])
  const pressed = useRef<{ x: number; y: number }>(undefined)
  const clean = movement.pictures.some((p) => p.clean)

  useEffect(() => {
    drawing.current?.show(frame, frames.get(frame))
  }, [drawing, frame, frames, arrivals])
  useEffect(() => drawing.current?.with(beside, open), [drawing, beside, open])

  const look = (to: Side) => {
    setSide(to)
    drawing.current?.look(to)
  }
  const keys = (e: React.KeyboardEvent) => {
    const by = { ArrowLeft: [-1, 0], ArrowRight: [1, 0], ArrowUp: [0, 1], ArrowDown: [0, -1] }[e.key]
    if (!by) return
    e.preventDefault()
    drawing.current?.turn(by[0], by[1])
  }
  const release = (e: React.PointerEvent) => {
    const r = e.currentTarget.getBoundingClientRect()
    const from = pressed.current
    if (!from || Math.hypot(e.clientX - from.x, e.clientY - from.y) > 4) return
    const hit = drawing.current?.limbAt(e.clientX - r.left, e.clientY - r.top, limbs)
    setLimb(limbs.find((l) => l.from === hit?.from && l.to === hit?.to))
  }
  return (
    <>
      <canvas
        ref={paper}
        style={{ position: 'absolute', top: 0, left: 0, width: '100%', height: `calc(100% - ${bar})` }}
      />
      <Box
        ref={holder}
        position="absolute"
        top="0"
        left="0"
        right="0"
        bottom={bar}
        overflow="hidden"
        tabIndex={0}
        role="application"
        aria-label="Fitted body: drag or arrow keys turn it, a press on a limb says how well it is known"
        cursor="grab"
        onKeyDown={keys}
        onPointerDownCapture={(e) => (pressed.current = { x: e.clientX, y: e.clientY })}
        onPointerUpCapture={release}
      />
      <Text position="absolute" top="14px" left="14px" fontWeight="700" pointerEvents="none">
        The body fitted to this film{beside ? ' · at the right, the simulated athlete, clean' : ''}
        {!bodyOn(movement, frame) && (
          <Text as="span" role="status" display="block" fontWeight="500">
            There is no body on this picture: the fit goes from picture {movement.pictures[0].frame} to{' '}
            {movement.pictures.at(-1)!.frame}.
          </Text>
        )}
      </Text>
      {broken && (
        <Text role="alert" position="absolute" top="44px" left="14px">
          {broken}
        </Text>
      )}
      {limb && (
        <LimbCard
          attempt={bench.id}
          version={bench.version}
          limb={limb}
          frame={frame}
          onGo={(to) => {
            go(to)
            onClose()
          }}
          onClose={() => setLimb(undefined)}
        />
      )}
      <Flex position="absolute" bottom="8px" left="14px" right="14px" gap="6px" wrap="wrap" align="center">
        <Flex role="radiogroup" aria-label="Seen" gap="4px">
          {sides.map(([s, says]) => (
            <StageChoice key={s} role="radio" aria-checked={side === s} on={side === s} onClick={() => look(s)}>
              {says}
            </StageChoice>
          ))}
        </Flex>
        <StageChoice
          aria-pressed={open}
          title="Eight other movements that the film allows as well"
          on={open}
          onClick={() => setOpen(!open)}
        >
          what it leaves open
        </StageChoice>
        {clean && (
          <StageChoice aria-pressed={beside} on={beside} onClick={() => setBeside(!beside)}>
            clean beside it
          </StageChoice>
        )}
        <chakra.select
          aria-label="How well a limb is known"
          h="32px"
          bg="#0D141B"
          borderWidth="1px"
          borderColor="#43505A"
          borderRadius="8px"
          px="6px"
          fontSize="13px"
          value={limb?.name ?? ''}
          onChange={(e) => setLimb(limbs.find((l) => l.name === e.currentTarget.value))}
        >
          <option value="">How well is it known?</option>
          {limbs.map((l) => (
            <option key={l.name}>{l.name}</option>
          ))}
        </chakra.select>
      </Flex>
    </>
  )
}

/** How tall the figure's head is drawn for: the fitted body's own height is near enough. */
function useHeight(m: FittedMovement) {
  return useMemo(() => {
    const at = m.pictures[0].at
    const high = (l: string) => at[3 * m.landmarks.indexOf(l) + 2] / 1000
    return Math.max(1.2, high('vertex') * 1.08)
  }, [m])
}

/** A drawing in its box for as long as it is shown. */
function useDrawing(
  movement: FittedMovement,
  clip: Clip,
  bench: BenchContext['bench'],
  tall: number,
  onTurned: () => void,
) {
  const holder = useRef<HTMLDivElement>(null)
  const paper = useRef<HTMLCanvasElement>(null)
  const drawing = useRef<FittedDrawing>(undefined)
  const [broken, setBroken] = useState('')
  const { width, height } = clip
  const role = useRef((l: string) => roleOf(l, bench))
  const turned = useRef(onTurned)
  useEffect(() => {
    try {
      const d = new FittedDrawing(holder.current!, paper.current!, movement, { width, height }, role.current, tall)
      d.onTurned = () => turned.current()
      drawing.current = d
      return () => {
        d.close()
        drawing.current = undefined
      }
    } catch {
      queueMicrotask(() => setBroken('This browser draws no 3-D pictures: WebGL is off.'))
    }
  }, [movement, width, height, tall])
  return { holder, paper, drawing, broken }
}
