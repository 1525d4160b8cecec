import {
  Box,
  Dialog,
  CloseButton,
  Flex,
  Heading,
  Input,
  NativeSelect,
  Portal,
  Text,
  chakra,
} from '@chakra-ui/react'
import { useQuery, useQueryClient } from '@tanstack/react-query'
import { useState, type FormEvent } from 'react'
import { Link, useSearchParams } from 'react-router'
import { v7 as newId } from 'uuid'
import { Hint } from '../ui/Panel'
import { Button } from '../ui/Button'
import { ask, client, Refused, type Schemas } from '../ui/client'
import { longDay } from '../ui/format'
import { AppHeader } from '../ui/AppHeader'
import { ConfirmErase } from '../ui/ConfirmErase'

type Item = Schemas['PlanItem']
type Phase = Schemas['SeasonPhase']

const iso = (d: Date) =>
  `${d.getFullYear()}-${String(d.getMonth() + 1).padStart(2, '0')}-${String(d.getDate()).padStart(2, '0')}`
const of = (s: string) => new Date(`${s}T12:00:00`)
const plus = (s: string, days: number) => {
  const d = of(s)
  d.setDate(d.getDate() + days)
  return iso(d)
}
const monday = (s: string) => plus(s, -((of(s).getDay() + 6) % 7))
const names = ['Mon', 'Tue', 'Wed', 'Thu', 'Fri', 'Sat', 'Sun']
const kinds = {
  drill: 'drill',
  strength: 'strength',
  session: 'session',
  meet: 'meet',
  refilm: 'film again',
} as const
const signs = { drill: '○', strength: '▲', session: '□', meet: '★', refilm: '◉' } as const

/** The plan over the weeks: what each day asks for, and what speaks against it. */
export function CalendarPage({ who }: { who: Schemas['State'] }) {
  const queries = useQueryClient()
  const [query, setQuery] = useSearchParams()
  const today = useQuery({ queryKey: ['today'], queryFn: () => ask(client.GET('/api/today')) })
  const now = today.data?.day ?? iso(new Date())
  const from = monday(query.get('day') ?? now)
  const athlete = query.get('athlete') ?? ''
  const weeks = 5
  const to = plus(from, 7 * weeks - 1)
  const plan = useQuery({
    queryKey: ['plan', from, athlete],
    queryFn: () => ask(client.GET('/api/plan', { params: { query: { from, to, athlete: athlete || undefined } } })),
    placeholderData: (d) => d,
    refetchOnMount: 'always',
  })
  const [open, setOpen] = useState<Item | { day: string }>()
  const [phases, setPhases] = useState(false)
  const [over, setOver] = useState('')
  const [says, setSays] = useState<{ text: string; undo?: () => void; bad?: boolean }>()
  const again = () => queries.invalidateQueries({ queryKey: ['plan'] })
  const look = (more: Record<string, string>) => {
    const next = new URLSearchParams(query)
    for (const [k, v] of Object.entries(more))
      if (v) next.set(k, v)
      else next.delete(k)
    setQuery(next)
  }
  const act = async (what: () => Promise<unknown>, text: string, undo?: () => void) => {
    try {
      await what()
      setSays({ text, undo })
    } catch (e) {
      setSays({ text: (e as Error).message, bad: true })
    }
    await again()
  }
  const put = (i: Item) => ask(client.PUT('/api/plan/{id}', { params: { path: { id: i.id } }, body: i }))
  const change = (i: Item, more: Partial<Item>, text: string) =>
    act(
      () => put({ ...i, ...more }),
      text,
      () => void act(() => put({ ...i, version: (i.version ?? 0) + 1 }), 'Taken back'),
    )
  const add = (i: Item, text: string) =>
    act(
      () => ask(client.POST('/api/plan', { body: [i] })),
      text,
      () => void act(() => ask(client.DELETE('/api/plan/{id}', { params: { path: { id: i.id } } })), 'Taken back'),
    )
  const erase = (i: Item) =>
    act(
      () => ask(client.DELETE('/api/plan/{id}', { params: { path: { id: i.id } } })),
      'Taken off the plan',
      () => void act(() => ask(client.POST('/api/plan', { body: [{ ...i, version: 0 }] })), 'Back on the plan'),
    )
  const p = plan.data
  const caution = (id: string) => p?.cautions.filter((c) => c.item === id) ?? []
  const phaseOn = (day: string) => p?.phases.find((x) => x.from <= day && day <= x.to)
  const drop = (e: React.DragEvent, day: string) => {
    e.preventDefault()
    setOver('')
    const item = p?.items.find((i) => i.id === e.dataTransfer.getData('text/plain'))
    if (!item || item.day === day) return
    if (e.ctrlKey || e.altKey)
      void add({ ...item, id: newId(), day, state: 'planned', version: 0 }, `Copied to ${longDay(day)}`)
    else void change(item, { day }, `Moved to ${longDay(day)}`)
  }
  return (
    <Box minH="100%">
      <AppHeader />
      <Box p="16px 20px">
        <Flex gap="10px" align="center" wrap="wrap" mb="8px">
          <Heading fontSize="21px">Calendar</Heading>
          <Button h="36px" aria-label="Four weeks earlier" onClick={() => look({ day: plus(from, -28) })}>
            ‹
          </Button>
          <Button h="36px" onClick={() => look({ day: '' })}>
            This week
          </Button>
          <Button h="36px" aria-label="Four weeks later" onClick={() => look({ day: plus(from, 28) })}>
            ›
          </Button>
          <NativeSelect.Root w="210px">
            <NativeSelect.Field
              aria-label="Whose plan"
              bg="raised"
              borderColor="hair"
              h="36px"
              value={athlete}
              onChange={(e) => look({ athlete: e.currentTarget.value })}
            >
              <option value="">everybody</option>
              {today.data?.athletes.map((a) => (
                <option key={a.id} value={a.id}>
                  {a.name}
                </option>
              ))}
            </NativeSelect.Field>
            <NativeSelect.Indicator />
          </NativeSelect.Root>
          <Box flex="1" />
          <Button h="36px" onClick={() => setPhases(true)}>
            Season
          </Button>
          <chakra.a
            href={`/api/plan.ics${athlete ? `?athlete=${athlete}` : ''}`}
            borderWidth="1px"
            borderColor="hair"
            bg="raised"
            borderRadius="9px"
            h="36px"
            px="14px"
            fontWeight="600"
            display="inline-flex"
            alignItems="center"
          >
            iCalendar
          </chakra.a>
        </Flex>
        <Flex role="status" minH="28px" align="center" gap="10px">
          {says ? (
            <>
              <Text color={says.bad ? 'plum' : 'ink'} fontWeight={says.bad ? '600' : '400'}>
                {says.text}.
              </Text>
              {says.undo && (
                <Button h="28px" onClick={says.undo}>
                  Undo
                </Button>
              )}
            </>
          ) : (
            <Hint>
              Drag a line to another day; with Ctrl it is copied. Press a line to change, skip or finish it, a day’s
              number to add one.
            </Hint>
          )}
        </Flex>
        {plan.error && (
          <Text role="alert" color="plum">
            {plan.error.message}
          </Text>
        )}
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
            const first = phase && (phase.from === day || day === from || of(day).getDay() === 1)
            return (
              <Box
                key={day}
                role="group"
                data-day={day}
                aria-label={longDay(day)}
                bg={over === day ? 'band' : day === now ? 'paper' : 'raised'}
                minH="108px"
                p="4px"
                minW="0"
                opacity={day < now ? 0.85 : 1}
                onDragOver={(e) => {
                  e.preventDefault()
                  if (over !== day) setOver(day)
                }}
                onDrop={(e) => drop(e, day)}
              >
                <Flex gap="6px" align="baseline" minH="22px">
                  <chakra.button
                    aria-label={`Add a line on ${longDay(day)}`}
                    fontWeight={day === now ? 700 : 600}
                    minW="26px"
                    textAlign="left"
                    cursor="pointer"
                    textDecoration={day === now ? 'underline' : 'none'}
                    onClick={() => setOpen({ day })}
                  >
                    {of(day).getDate() === 1 || day === from
                      ? `${of(day).getDate()} ${longDay(day).split(' ')[1].slice(0, 3)}`
                      : of(day).getDate()}
                  </chakra.button>
                  {first && (
                    <Text fontSize="11.5px" color="soft" truncate title={phase.name}>
                      {phase.name}
                    </Text>
                  )}
                </Flex>
                {p?.items
                  .filter((i) => i.day === day)
                  .map((i) => {
                    const against = caution(i.id)
                    const held = against.some((c) => c.hold)
                    return (
                      <chakra.button
                        key={i.id}
                        draggable
                        onDragStart={(e) => e.dataTransfer.setData('text/plain', i.id)}
                        onDragEnd={() => setOver('')}
                        onClick={() => setOpen(i)}
                        title={[`${i.athlete}: ${i.words}`, i.dose, ...against.map((c) => c.says)]
                          .filter(Boolean)
                          .join('\n')}
                        display="block"
                        w="100%"
                        textAlign="left"
                        borderLeftWidth="3px"
                        borderColor={
                          held
                            ? 'plum'
                            : against.length
                              ? 'ochre'
                              : i.kind === 'refilm' || i.kind === 'meet'
                                ? 'brick'
                                : 'sky'
                        }
                        pl="5px"
                        mb="3px"
                        fontSize="12.5px"
                        lineHeight="1.25"
                        cursor="grab"
                        opacity={i.state === 'skipped' ? 0.6 : 1}
                      >
                        <chakra.span fontWeight="600">
                          {i.state === 'done' ? '✓ ' : held ? '✕ ' : `${signs[i.kind]} `}
                          {!athlete && i.athlete?.split(' ')[0]}
                        </chakra.span>{' '}
                        <chakra.span textDecoration={i.state === 'skipped' ? 'line-through' : 'none'}>
                          {i.words.length > 44 ? `${i.words.slice(0, 43)}…` : i.words}
                        </chakra.span>
                        {held ? (
                          <chakra.span color="plum" fontWeight="600">
                            {' '}
                            held
                          </chakra.span>
                        ) : (
                          against.length > 0 && (
                            <chakra.span color="ochre" fontWeight="600">
                              {' '}
                              !
                            </chakra.span>
                          )
                        )}
                      </chakra.button>
                    )
                  })}
              </Box>
            )
          })}
        </Box>
        {p && p.items.length === 0 && (
          <Box mt="10px">
            <Hint>
              Nothing is planned in these weeks. Assign a cue to an attempt and lay its work out, or add a line on a
              day.
            </Hint>
          </Box>
        )}
      </Box>
      {open &&
        today.data &&
        ('id' in open ? (
          <ItemDialog
            item={open}
            cautions={caution(open.id)}
            onClose={() => setOpen(undefined)}
            onChange={(more, text) => {
              setOpen(undefined)
              void change(open, more, text)
            }}
            onCopy={(day) => {
              setOpen(undefined)
              void add({ ...open, id: newId(), day, state: 'planned', version: 0 }, `Copied to ${longDay(day)}`)
            }}
            onErase={() => {
              setOpen(undefined)
              void erase(open)
            }}
          />
        ) : (
          <NewDialog
            day={open.day}
            athletes={today.data.athletes}
            athlete={athlete}
            onClose={() => setOpen(undefined)}
            onAdd={(i) => {
              setOpen(undefined)
              void add(i, `Added on ${longDay(i.day)}`)
            }}
          />
        ))}
      {phases && p && (
        <PhasesDialog
          mine={who.role === 'owner'}
          phases={p.phases}
          onClose={() => setPhases(false)}
          onChanged={again}
        />
      )}
    </Box>
  )
}

const field = { bg: 'paper', borderColor: 'hair', h: '40px' } as const

function Sheet({ title, onClose, children }: { title: string; onClose: () => void; children: React.ReactNode }) {
  return (
    <Dialog.Root open onOpenChange={(e) => !e.open && onClose()} size="md">
      <Portal>
        <Dialog.Backdrop />
        <Dialog.Positioner>
          <Dialog.Content bg="raised" borderRadius="10px">
            <Dialog.Header>
              <Dialog.Title>{title}</Dialog.Title>
            </Dialog.Header>
            <Dialog.Body pb="20px">{children}</Dialog.Body>
            <Dialog.CloseTrigger asChild>
              <CloseButton size="sm" aria-label="Close" />
            </Dialog.CloseTrigger>
          </Dialog.Content>
        </Dialog.Positioner>
      </Portal>
    </Dialog.Root>
  )
}

function ItemDialog({
  item,
  cautions,
  onClose,
  onChange,
  onCopy,
  onErase,
}: {
  item: Item
  cautions: Schemas['Caution'][]
  onClose: () => void
  onChange: (more: Partial<Item>, text: string) => void
  onCopy: (day: string) => void
  onErase: () => void
}) {
  const [w, setW] = useState({
    day: item.day,
    words: item.words,
    dose: item.dose ?? '',
    intensity: item.intensity ?? '',
  })
  const held = cautions.some((c) => c.hold)
  return (
    <Sheet title={`${item.athlete}: ${kinds[item.kind]}`} onClose={onClose}>
      {cautions.map((c) => (
        <Box key={c.says} borderLeftWidth="3px" borderColor={c.hold ? 'plum' : 'ochre'} pl="10px" mb="6px">
          <Text>{c.says}.</Text>
        </Box>
      ))}
      <Text fontSize="12.5px" color="soft">
        What
      </Text>
      <Input aria-label="What" {...field} value={w.words} onChange={(e) => setW({ ...w, words: e.target.value })} />
      <Flex gap="10px" mt="8px">
        <Box flex="1">
          <Text fontSize="12.5px" color="soft">
            Dose
          </Text>
          <Input
            aria-label="Dose"
            {...field}
            value={w.dose}
            onChange={(e) => setW({ ...w, dose: e.target.value })}
          />
        </Box>
        <Box w="150px">
          <Text fontSize="12.5px" color="soft">
            Day
          </Text>
          <Input
            type="date"
            aria-label="Day"
            {...field}
            value={w.day}
            onChange={(e) => setW({ ...w, day: e.target.value })}
          />
        </Box>
        <Box w="120px">
          <Text fontSize="12.5px" color="soft">
            Intensity
          </Text>
          <Intensity value={w.intensity} onPick={(intensity) => setW({ ...w, intensity })} />
        </Box>
      </Flex>
      {item.attempt && (
        <Text mt="8px">
          <Link to={`/attempts/${item.attempt}/assign`} style={{ textDecoration: 'underline' }}>
            The assignment
          </Link>
        </Text>
      )}
      <Flex gap="8px" mt="14px" wrap="wrap">
        <Button main onClick={() => onChange(w, 'Changed')} disabled={!w.words.trim() || !w.day}>
          Keep
        </Button>
        {item.state !== 'done' && (
          <Button
            disabled={held && item.kind !== 'refilm'}
            onClick={() => onChange({ ...w, state: 'done' }, 'Done')}
          >
            Done
          </Button>
        )}
        {item.state !== 'skipped' && (
          <Button onClick={() => onChange({ ...w, state: 'skipped' }, 'Skipped')}>Skip</Button>
        )}
        {item.state !== 'planned' && (
          <Button onClick={() => onChange({ ...w, state: 'planned' }, 'Planned again')}>Planned again</Button>
        )}
        <Button disabled={w.day === item.day} title="Choose another day first" onClick={() => onCopy(w.day)}>
          Copy to that day
        </Button>
        <Button onClick={onErase}>Take it off</Button>
      </Flex>
    </Sheet>
  )
}

function Intensity({
  value,
  onPick,
}: {
  value: NonNullable<Item['intensity']>
  onPick: (v: NonNullable<Item['intensity']>) => void
}) {
  return (
    <NativeSelect.Root>
      <NativeSelect.Field
        aria-label="Intensity"
        {...field}
        value={value}
        onChange={(e) => onPick(e.currentTarget.value as NonNullable<Item['intensity']>)}
      >
        <option value="">not said</option>
        <option value="low">low</option>
        <option value="medium">medium</option>
        <option value="high">high</option>
      </NativeSelect.Field>
      <NativeSelect.Indicator />
    </NativeSelect.Root>
  )
}

function NewDialog({
  day,
  athletes,
  athlete,
  onClose,
  onAdd,
}: {
  day: string
  athletes: Schemas['Athlete'][]
  athlete: string
  onClose: () => void
  onAdd: (i: Item) => void
}) {
  const [intensity, setIntensity] = useState<NonNullable<Item['intensity']>>('')
  const submit = (e: FormEvent<HTMLFormElement>) => {
    e.preventDefault()
    const f = new FormData(e.currentTarget)
    const get = (k: string) => String(f.get(k) ?? '')
    onAdd({
      id: newId(),
      athleteId: get('athlete'),
      day,
      kind: get('kind') as Item['kind'],
      words: get('words').trim(),
      dose: get('dose').trim(),
      intensity,
    })
  }
  return (
    <Sheet title={longDay(day)} onClose={onClose}>
      <form onSubmit={submit}>
        <Flex gap="10px">
          <Box flex="1">
            <Text fontSize="12.5px" color="soft">
              Athlete
            </Text>
            <NativeSelect.Root>
              <NativeSelect.Field
                name="athlete"
                aria-label="Athlete"
                {...field}
                defaultValue={athlete || athletes[0]?.id}
              >
                {athletes.map((a) => (
                  <option key={a.id} value={a.id}>
                    {a.name}
                  </option>
                ))}
              </NativeSelect.Field>
              <NativeSelect.Indicator />
            </NativeSelect.Root>
          </Box>
          <Box w="140px">
            <Text fontSize="12.5px" color="soft">
              Kind
            </Text>
            <NativeSelect.Root>
              <NativeSelect.Field name="kind" aria-label="Kind" {...field}>
                {Object.entries(kinds).map(([k, n]) => (
                  <option key={k} value={k}>
                    {n}
                  </option>
                ))}
              </NativeSelect.Field>
              <NativeSelect.Indicator />
            </NativeSelect.Root>
          </Box>
        </Flex>
        <Text fontSize="12.5px" color="soft" mt="8px">
          What
        </Text>
        <Input name="words" aria-label="What" required {...field} autoFocus />
        <Flex gap="10px" mt="8px">
          <Box flex="1">
            <Text fontSize="12.5px" color="soft">
              Dose
            </Text>
            <Input name="dose" aria-label="Dose" {...field} />
          </Box>
          <Box w="140px">
            <Text fontSize="12.5px" color="soft">
              Intensity
            </Text>
            <Intensity value={intensity} onPick={setIntensity} />
          </Box>
        </Flex>
        <Flex gap="8px" mt="14px">
          <Button main type="submit">
            Add it
          </Button>
          <Button onClick={onClose}>Not now</Button>
        </Flex>
      </form>
    </Sheet>
  )
}

const phaseKinds: [Phase['kind'], string][] = [
  ['preparation', 'preparation'],
  ['special', 'special work'],
  ['competition', 'competition'],
  ['rest', 'rest'],
]

function PhasesDialog({
  mine,
  phases,
  onClose,
  onChanged,
}: {
  mine: boolean
  phases: Phase[]
  onClose: () => void
  onChanged: () => Promise<unknown>
}) {
  const [error, setError] = useState('')
  const [erasing, setErasing] = useState('')
  const act = async (what: () => Promise<unknown>) => {
    setError('')
    try {
      await what()
      await onChanged()
      return true
    } catch (e) {
      setError(e instanceof Refused || e instanceof Error ? e.message : '')
      return false
    }
  }
  const add = async (e: FormEvent<HTMLFormElement>) => {
    e.preventDefault()
    const form = e.currentTarget
    const f = new FormData(form)
    const get = (k: string) => String(f.get(k) ?? '')
    if (
      await act(() =>
        ask(
          client.PUT('/api/phases', {
            body: {
              id: newId(),
              name: get('name').trim(),
              kind: get('kind') as Phase['kind'],
              from: get('from'),
              to: get('to'),
            },
          }),
        ),
      )
    )
      form.reset()
  }
  return (
    <Sheet title="Phases of the season" onClose={onClose}>
      <Box maxH="260px" overflowY="auto">
        {phases.length === 0 && (
          <Hint>None yet. With phases the calendar says what lies out of season, and what is for rest.</Hint>
        )}
        {phases.map((p) => (
          <Flex key={p.id} gap="10px" py="6px" borderTopWidth="1px" borderColor="hair" align="center" wrap="wrap">
            <Text fontWeight="600" flex="1">
              {p.name}
            </Text>
            <Text color="soft">
              {p.kind} · {longDay(p.from)} to {longDay(p.to)}
            </Text>
            {mine && (
              <Button h="32px" aria-label={`Take off ${p.name}`} onClick={() => setErasing(p.id)}>
                Take off
              </Button>
            )}
            {erasing === p.id && (
              <ConfirmErase
                says={`${p.name} is taken out of the season.`}
                yes="Take it off"
                onNo={() => setErasing('')}
                onYes={() =>
                  void act(() => ask(client.DELETE('/api/phases/{id}', { params: { path: { id: p.id } } })))
                }
              />
            )}
          </Flex>
        ))}
      </Box>
      {error && (
        <Text role="alert" color="plum" fontWeight="600">
          {error}
        </Text>
      )}
      {!mine && <Hint>The season is the whole club’s: its owner sets the phases.</Hint>}
      {mine && (
        <chakra.form onSubmit={add} display="flex" gap="8px" flexWrap="wrap" alignItems="flex-end" mt="12px">
          <Box flex="1 1 120px">
            <Text fontSize="12.5px" color="soft">
              Name
            </Text>
            <Input name="name" aria-label="Name" required {...field} />
          </Box>
          <Box w="130px">
            <Text fontSize="12.5px" color="soft">
              For
            </Text>
            <NativeSelect.Root>
              <NativeSelect.Field name="kind" aria-label="For" {...field}>
                {phaseKinds.map(([k, n]) => (
                  <option key={k} value={k}>
                    {n}
                  </option>
                ))}
              </NativeSelect.Field>
              <NativeSelect.Indicator />
            </NativeSelect.Root>
          </Box>
          <Box w="140px">
            <Text fontSize="12.5px" color="soft">
              From
            </Text>
            <Input type="date" name="from" aria-label="From" required {...field} />
          </Box>
          <Box w="140px">
            <Text fontSize="12.5px" color="soft">
              To
            </Text>
            <Input type="date" name="to" aria-label="To" required {...field} />
          </Box>
          <Button main type="submit">
            Add it
          </Button>
        </chakra.form>
      )}
    </Sheet>
  )
}
