import { Box, Flex, Input, Text, Textarea, chakra } from '@chakra-ui/react'
import { useQuery, useQueryClient } from '@tanstack/react-query'
import { useState } from 'react'
import { Link } from 'react-router'
import { Button } from '../../ui/Button'
import { Figure } from '../../ui/Figure'
import { ask, client, type Schemas } from '../../ui/client'
import { longDay } from '../../ui/format'
import type { BenchContext } from '../benchModel'
import { Callout, Hint, Section } from '../../ui/Panel'

/** One cue and one drill for each focus, and what the next clip must show. */
export function Assign({ context, onJudge }: { context: BenchContext; onJudge: () => void }) {
  const { bench, reading, event } = context
  const stale = bench.assignments.filter((a) => !bench.focuses.some((f) => f.fault === a.fault))
  const name = (id: string) => event.faults.find((f) => f.id === id)?.name ?? id
  if (!reading) return <Hint>The cues are being looked up…</Hint>
  // No fault was found: the card says what is good, and to keep it.
  const clean = reading.known > 0 && reading.roots.length === 0
  return (
    <>
      {bench.held && (
        <Callout tone="plum">
          <Text fontWeight="600">{bench.held}.</Text>
          <Text fontSize="13px">
            Nothing is assigned until the note on{' '}
            <a href={`/athletes/${bench.athlete.id}`} style={{ textDecoration: 'underline' }}>
              the athlete’s page
            </a>{' '}
            is cleared.
          </Text>
        </Callout>
      )}
      {reading.followUps.length > 0 && (
        <Section title="Since the cue before">
          {reading.followUps.map((f) => (
            <Since key={f.fault} context={context} f={f} />
          ))}
          <Hint>What you keep goes into the cue record, which puts the next cues in order.</Hint>
        </Section>
      )}
      {bench.focuses.length === 0 && (
        <Section title="No focus yet">
          <Hint>An athlete can hold one or two things. Choose them in Judge, then give each a cue here.</Hint>
          <Button main mt="8px" onClick={onJudge}>
            To Judge
          </Button>
        </Section>
      )}
      {bench.focuses.map((f) => {
        const option = reading.options.find((o) => o.fault === f.fault)
        const kept = bench.assignments.find((a) => a.fault === f.fault)
        return option && <One key={f.fault + JSON.stringify(kept)} context={context} option={option} kept={kept} />
      })}
      {stale.map((a) => (
        <Flex key={a.fault} align="center" gap="8px" mb="10px">
          <Hint>
            “{a.words}” is assigned for {name(a.fault).toLowerCase()}, which is no longer a focus.
          </Hint>
          <Button h="36px" onClick={() => context.send({ kind: 'assign', fault: a.fault })}>
            Take it off
          </Button>
        </Flex>
      ))}
      {(bench.assignments.length > 0 || Object.keys(bench.stamps).length > 0) && (
        <Flex gap="8px" mb="14px" align="center" wrap="wrap" whiteSpace="nowrap">
          {(bench.assignments.length > 0 || clean) && (
            <chakra.a
              href={`/api/attempts/${bench.id}/card.pdf`}
              target="_blank"
              rel="noopener"
              bg="ink"
              color="paper"
              borderRadius="9px"
              h="40px"
              px="14px"
              fontWeight="600"
              display="inline-flex"
              alignItems="center"
            >
              Athlete's card, PDF
            </chakra.a>
          )}
          <Link to={`/report/attempt/${bench.id}`} style={{ textDecoration: 'underline' }}>
            Report
          </Link>
          <chakra.a
            href={`/api/attempts/${bench.id}/strip.png`}
            target="_blank"
            rel="noopener"
            borderWidth="1px"
            borderColor="hair"
            borderRadius="9px"
            h="40px"
            px="14px"
            fontWeight="600"
            display="inline-flex"
            alignItems="center"
          >
            Key strip, PNG
          </chakra.a>
        </Flex>
      )}
      {bench.assignments.length > 0 && !bench.held && <Spread attempt={bench.id} athlete={bench.athlete.id} />}
      <Section title="Care">
        {event.care.map((c) => (
          <Callout key={c} tone="ochre">
            <Text fontSize="13px">{c}</Text>
          </Callout>
        ))}
      </Section>
    </>
  )
}

const outcomes = {
  changed: 'Changed as meant',
  'no change': 'No real change',
  misread: 'Misread',
  worse: 'Worse',
} as const
type Outcome = keyof typeof outcomes

/** What this clip shows of a cue that was given before, and the coach's word on it. */
function Since({ context, f }: { context: BenchContext; f: Schemas['FollowUp'] }) {
  const kept = context.bench.followUps.find((k) => k.of === f.of && k.fault === f.fault)
  const proposed = f.outcome === "can't tell" ? undefined : f.outcome
  const tone = proposed === 'changed' ? 'grass' : proposed === 'worse' || proposed === 'misread' ? 'plum' : 'ochre'
  const next = context.reading?.options.find((o) => o.fault === f.fault)?.cues[0]
  const focused = context.bench.focuses.some((x) => x.fault === f.fault)
  const full = context.bench.focuses.length > 1
  const keep = (outcome?: Outcome) => context.send({ kind: 'followUp', fault: f.fault, of: f.of, outcome })
  return (
    <Box mb="12px">
      <Text fontWeight="600">
        “{f.words}”{' '}
        <Text as="span" fontWeight="400" color="soft">
          for {f.name.toLowerCase()},{' '}
          <a href={`/attempts/${f.of}/judge`} style={{ textDecoration: 'underline' }}>
            {longDay(f.day)}
          </a>
        </Text>
      </Text>
      <Callout tone={tone}>
        {f.says}.{f.holds && ' The limit is kept.'}
      </Callout>
      {f.aim && (
        <BeforeAfter before={f.of} after={context.bench.id} place={f.aim.key.split('@')[1] ?? ''} day={f.day} />
      )}
      {kept ? (
        <>
          <Flex align="center" gap="8px">
            <Text flex="1">
              In the cue record: <b>{outcomes[kept.outcome].toLowerCase()}</b>.
            </Text>
            <Button h="36px" onClick={() => keep()}>
              Take it out
            </Button>
          </Flex>
          {kept.outcome !== 'changed' && next && !focused && (
            <Flex align="center" gap="8px" mt="4px">
              <Text flex="1">
                Next to try: “{next.text}”{' '}
                <Text as="span" color="soft">
                  ({next.why})
                </Text>
              </Text>
              <Button
                h="36px"
                disabled={full}
                title={full ? 'Two focuses are enough: take one off first' : undefined}
                onClick={() =>
                  context.send({ kind: 'focus', fault: f.fault, why: `“${f.words}”: ${kept.outcome}` })
                }
              >
                Keep the focus
              </Button>
            </Flex>
          )}
        </>
      ) : (
        <Flex gap="6px" wrap="wrap" role="group" aria-label={`What “${f.words}” did`}>
          {(Object.keys(outcomes) as Outcome[]).map((o) => (
            <Button key={o} main={o === proposed} h="36px" onClick={() => keep(o)}>
              {outcomes[o]}
            </Button>
          ))}
        </Flex>
      )}
    </Box>
  )
}

/** The two attempts at the key position that decides: pictures at one size, and the figures over one another. */
function BeforeAfter({ before, after, place, day }: { before: string; after: string; place: string; day: string }) {
  const [open, setOpen] = useState(false)
  const figure = (id: string) => ({
    queryKey: ['figure', id, place],
    queryFn: () =>
      ask(client.GET('/api/attempts/{id}/figure', { params: { path: { id }, query: { keyId: place } } })),
    enabled: open,
    retry: false,
  })
  const [was, is] = [useQuery(figure(before)), useQuery(figure(after))]
  const at = encodeURIComponent(place)
  if (!open)
    return (
      <Flex gap="8px" mb="6px">
        <Button h="32px" onClick={() => setOpen(true)}>
          See both
        </Button>
        <Link
          to={`/report/attempt/${after}?of=${before}`}
          style={{ textDecoration: 'underline', alignSelf: 'center' }}
        >
          Report of the change
        </Link>
      </Flex>
    )
  return (
    <Box mb="8px">
      <Flex gap="6px">
        {[
          [before, longDay(day)],
          [after, 'now'],
        ].map(([id, caption]) => (
          <Box as="figure" key={id} flex="1">
            <img
              src={`/api/attempts/${id}/pose.png?keyId=${at}`}
              alt={`The athlete, ${caption}`}
              style={{ width: '100%', borderRadius: 6 }}
            />
            <Text as="figcaption" fontSize="12.5px" color="soft">
              {caption}
            </Text>
          </Box>
        ))}
      </Flex>
      {was.data && is.data && (
        <Box as="figure" mt="4px">
          <svg
            viewBox="-0.5 -0.58 1 1.16"
            width="100%"
            height={230}
            role="img"
            aria-label="Both figures over one another, hip on hip"
          >
            <Placed of={was.data} faint />
            <Placed of={is.data} />
          </svg>
          <Text as="figcaption" fontSize="12.5px" color="soft">
            Hip on hip, at one height: before thin and grey, now in colour.
          </Text>
        </Box>
      )}
      {(was.error ?? is.error) && <Hint>{(was.error ?? is.error)!.message}.</Hint>}
      <Button h="32px" onClick={() => setOpen(false)}>
        Close
      </Button>
    </Box>
  )
}

const faintInk = {
  front: 'var(--chakra-colors-soft)',
  rear: 'var(--chakra-colors-soft)',
  middle: 'var(--chakra-colors-soft)',
}

/** A placed figure, up positive. */
function Placed({ of, faint }: { of: Schemas['Figure']; faint?: boolean }) {
  const at = Object.fromEntries(of.points.map((p) => [p.name, { x: p.x, y: -p.y }]))
  const role = (l: string) => (l.endsWith(`.${of.front}`) ? 'front' : /\.[LR]$/.test(l) ? 'rear' : 'middle')
  return (
    <g opacity={faint ? 0.6 : 1}>
      <Figure at={at} role={role} width={faint ? 0.008 : 0.014} ink={faint ? faintInk : undefined} plain={faint} />
    </g>
  )
}

const weekdays: [number, string][] = [
  [1, 'Mon'],
  [2, 'Tue'],
  [3, 'Wed'],
  [4, 'Thu'],
  [5, 'Fri'],
  [6, 'Sat'],
  [0, 'Sun'],
]

/** Lays the work out over the days of training until it is filmed again, low intensity first. */
function Spread({ attempt, athlete }: { attempt: string; athlete: string }) {
  const queries = useQueryClient()
  const [days, setDays] = useState([1, 3, 5])
  const [done, setDone] = useState<Schemas['PlanItem'][]>()
  const [error, setError] = useState('')
  const lay = async () => {
    setError('')
    try {
      setDone(
        await ask(client.POST('/api/attempts/{id}/plan', { params: { path: { id: attempt } }, body: { days } })),
      )
      await queries.invalidateQueries({ queryKey: ['plan'] })
    } catch (e) {
      setError((e as Error).message)
    }
  }
  const back = async () => {
    for (const i of done ?? []) await client.DELETE('/api/plan/{id}', { params: { path: { id: i.id } } })
    setDone(undefined)
    await queries.invalidateQueries({ queryKey: ['plan'] })
  }
  return (
    <Section title="Into the calendar">
      <Flex gap="4px" wrap="wrap" role="group" aria-label="Days of training">
        {weekdays.map(([n, name]) => (
          <Button
            key={n}
            h="34px"
            px="6px"
            minW="38px"
            aria-pressed={days.includes(n)}
            bg={days.includes(n) ? 'ink' : 'raised'}
            color={days.includes(n) ? 'paper' : 'ink'}
            onClick={() => setDays(days.includes(n) ? days.filter((d) => d !== n) : [...days, n])}
          >
            {name}
          </Button>
        ))}
      </Flex>
      <Hint>
        A change of technique begins at low intensity: four days low, then medium, whole attempts after ten days.
      </Hint>
      <Flex gap="8px" mt="6px" align="center" wrap="wrap">
        {done ? (
          <>
            <Text role="status">
              {done.length} lines stand in{' '}
              <Link to={`/calendar?athlete=${athlete}&day=${done[0]?.day}`} style={{ textDecoration: 'underline' }}>
                the calendar
              </Link>
              .
            </Text>
            <Button h="34px" onClick={() => void back()}>
              Undo
            </Button>
          </>
        ) : (
          <Button h="36px" onClick={() => void lay()}>
            Lay it out
          </Button>
        )}
      </Flex>
      {error && (
        <Text role="alert" color="plum" fontWeight="600">
          {error[0].toUpperCase() + error.slice(1)}.
        </Text>
      )}
    </Section>
  )
}

const field = { bg: 'paper', borderColor: 'hair' } as const

function One({
  context,
  option,
  kept,
}: {
  context: BenchContext
  option: Schemas['Option']
  kept?: Schemas['Assignment']
}) {
  const first = option.cues.find((c) => c.id === kept?.cue) ?? option.cues[0]
  const drill = option.drills.find((d) => d.text === kept?.drill) ?? option.drills[0]
  const [open, setOpen] = useState(!kept)
  const [w, setW] = useState({
    cue: first?.id ?? '',
    words: kept?.words ?? first?.text ?? '',
    drill: kept?.drill ?? drill?.text ?? '',
    dose: kept?.dose ?? drill?.dose ?? '',
    refilm: kept?.refilm ?? context.bench.refilm,
  })
  const put = (more: Partial<typeof w>) => setW({ ...w, ...more })
  const growth = option.drills.find((d) => d.text === w.drill)?.growth
  const show = option.aim && (
    <Text mt="6px">
      <b>The next clip must show</b> {option.aim.says}.
    </Text>
  )
  if (kept && !open) {
    return (
      <Section title={option.name}>
        <Box borderWidth="1px" borderColor="ink" borderRadius="10px" p="12px" bg="paper">
          <Text fontSize="18px" fontWeight="700" lineHeight="1.25">
            “{kept.words}”
          </Text>
          <Text mt="6px">
            <b>Drill</b> {kept.drill}; {kept.dose}.
            {growth && (
              <Text as="span" color="soft">
                {' '}
                Then: {growth}.
              </Text>
            )}
          </Text>
          {show}
          <Text mt="6px">
            <b>Film again</b> {longDay(kept.refilm)}
          </Text>
          <Flex gap="8px" mt="10px">
            <Button h="36px" onClick={() => setOpen(true)}>
              Change
            </Button>
            <Button h="36px" onClick={() => context.send({ kind: 'assign', fault: option.fault })}>
              Take it off
            </Button>
          </Flex>
        </Box>
      </Section>
    )
  }
  return (
    <Section title={option.name}>
      <Text fontSize="12.5px" color="soft">
        Cue, in the order to try them
      </Text>
      <Box role="radiogroup" aria-label={`Cues for ${option.name}`}>
        {option.cues.map((c) => (
          <chakra.button
            key={c.id}
            role="radio"
            aria-checked={w.cue === c.id}
            onClick={() => put({ cue: c.id, words: c.text })}
            display="block"
            w="100%"
            textAlign="left"
            cursor="pointer"
            borderWidth="1px"
            borderColor={w.cue === c.id ? 'ink' : 'hair'}
            borderRadius="8px"
            p="7px 10px"
            mt="4px"
            bg={w.cue === c.id ? 'paper' : 'transparent'}
          >
            <Text fontWeight="600">
              {w.cue === c.id ? '● ' : '○ '}
              {c.text}
            </Text>
            <Text fontSize="12.5px" color="soft">
              {c.kind}: {c.why}
              {c.misread && `. Misread when the ${c.misread.text}`}
            </Text>
          </chakra.button>
        ))}
      </Box>
      <Text fontSize="12.5px" color="soft" mt="8px">
        In the athlete's words
      </Text>
      <Textarea
        aria-label="Cue in the athlete's words"
        rows={2}
        p="8px"
        {...field}
        value={w.words}
        onChange={(e) => put({ words: e.target.value })}
      />
      {context.event.faults.find((f) => f.id === option.fault)?.solver === 'pedal' && <Pedal context={context} />}
      <Flex gap="8px" mt="8px">
        <Box flex="1">
          <Text fontSize="12.5px" color="soft">
            Drill
          </Text>
          <Textarea
            aria-label="Drill"
            rows={2}
            p="8px"
            {...field}
            value={w.drill}
            onChange={(e) => put({ drill: e.target.value })}
          />
        </Box>
        <Box w="112px">
          <Text fontSize="12.5px" color="soft">
            Dose
          </Text>
          <Textarea
            aria-label="Dose"
            rows={2}
            p="8px"
            {...field}
            value={w.dose}
            onChange={(e) => put({ dose: e.target.value })}
          />
        </Box>
      </Flex>
      {option.drills.length > 1 && (
        <Flex gap="4px" wrap="wrap" mt="4px">
          {option.drills.map((d) => (
            <Button key={d.id} h="32px" fontSize="12.5px" onClick={() => put({ drill: d.text, dose: d.dose })}>
              {d.text}
            </Button>
          ))}
        </Flex>
      )}
      {growth && <Hint>When it holds: {growth}.</Hint>}
      {show}
      <Flex align="center" gap="8px" mt="8px">
        <Text fontSize="12.5px" color="soft">
          Film again on
        </Text>
        <Input
          aria-label="Film again on"
          type="date"
          w="150px"
          h="38px"
          {...field}
          value={w.refilm}
          onChange={(e) => put({ refilm: e.target.value })}
        />
      </Flex>
      <Flex gap="8px" mt="10px">
        <Button
          main
          disabled={!w.words.trim() || !w.refilm || !!context.bench.held}
          onClick={() => context.send({ kind: 'assign', fault: option.fault, assignment: w })}
        >
          Assign this cue
        </Button>
        {kept && <Button onClick={() => setOpen(false)}>Leave it</Button>}
      </Flex>
    </Section>
  )
}

/** How far to move the front pedal, solved on the server from the set position. */
function Pedal({ context }: { context: BenchContext }) {
  const { id: attempt, version } = context.bench
  const knee = context.reading!.values.find((v) => v.key === 'front-knee@set')
  const edges = knee?.band?.aim ?? [knee?.band?.low ?? 0, knee?.band?.high ?? 0]
  const [target, setTarget] = useState(String(knee && knee.value > edges[1] ? edges[1] : edges[0]))
  const [pitch, setPitch] = useState('2.5')
  const wish = { target: Number(target.replace(',', '.')), pitch: Number(pitch.replace(',', '.')) / 100 }
  const fit = wish.target > 0 && wish.pitch > 0
  const move = useQuery({
    queryKey: ['pedal', attempt, version, wish.target, wish.pitch],
    queryFn: () => ask(client.GET('/api/attempts/{id}/pedal', { params: { path: { id: attempt }, query: wish } })),
    enabled: fit,
    retry: false,
  })
  const m = move.data
  return (
    <Box mt="8px" p="10px" borderRadius="8px" bg="paper">
      <Text fontWeight="600">Front pedal</Text>
      <Flex gap="10px" mt="4px" align="center">
        <Text fontSize="12.5px" color="soft">
          Knee to aim at, °
        </Text>
        <Input
          aria-label="Knee to aim at"
          w="58px"
          h="34px"
          px="8px"
          {...field}
          value={target}
          onChange={(e) => setTarget(e.target.value)}
        />
        <Text fontSize="12.5px" color="soft">
          holes apart, cm
        </Text>
        <Input
          aria-label="Holes apart"
          w="52px"
          h="34px"
          px="8px"
          {...field}
          value={pitch}
          onChange={(e) => setPitch(e.target.value)}
        />
      </Flex>
      {m && (
        <Text mt="6px" role="status">
          Move it <b>{Math.abs(100 * m.metres).toFixed(1)} cm</b> ± {(200 * m.u).toFixed(1)}{' '}
          {m.metres > 0 ? 'toward the line' : 'away from the line'}.{' '}
          {m.holes === 0
            ? 'That is less than half a hole.'
            : `${Math.abs(m.holes)} hole${Math.abs(m.holes) > 1 ? 's' : ''} leave the knee at ` +
              `${m.leaves.toFixed(0)}° ± ${(2 * m.kneeU).toFixed(0)}.`}
        </Text>
      )}
      {move.error && (
        <Text mt="6px" role="status">
          {move.error.message[0].toUpperCase() + move.error.message.slice(1)}.
        </Text>
      )}
      <Hint>A first guess: hip and heel shift with the pedal. Film the set position again.</Hint>
    </Box>
  )
}
