import { Box, Flex, Heading, Text } from '@chakra-ui/react'
import { useQuery, useQueryClient } from '@tanstack/react-query'
import { useState } from 'react'
import { Link, useNavigate, useParams } from 'react-router'
import { v7 as newId } from 'uuid'
import { Callout, Hint, Section } from '../ui/Panel'
import { Button } from '../ui/Button'
import { ask, client, type Schemas } from '../ui/client'
import { longDay } from '../ui/format'
import { AppHeader } from '../ui/AppHeader'
import { AthleteDialog } from './AthleteForm'
import { Attempts, Strips } from './Attempts'
import { Goals, Load, Pains } from './PainNotes'
import { AthleteFigure } from '../ui/AthleteFigure'
import { OverTime } from './OverTime'
import { resultText } from '../ui/result'

type Page = Schemas['AthletePage']

/** An athlete: what is worked on, how far they got, and which cues work. */
export function AthletePage() {
  const { id = '' } = useParams()
  const go = useNavigate()
  const page = useQuery({
    queryKey: ['athlete', id],
    queryFn: () => ask(client.GET('/api/athletes/{id}', { params: { path: { id } } })),
    refetchOnMount: 'always',
  })
  const today = useQuery({ queryKey: ['today'], queryFn: () => ask(client.GET('/api/today')) })
  const [changing, setChanging] = useState(false)
  const p = page.data
  const event = (e: string) => today.data?.events.find((x) => x.id === e)?.name ?? e
  const queries = useQueryClient()
  const [refused, setRefused] = useState('')
  /** Closes a focus that held, or opens it again. */
  const shut = async (f: Page['focuses'][number], closed?: string) => {
    setRefused('')
    try {
      await ask(
        client.POST('/api/attempts/{id}/commands', {
          params: { path: { id: f.attempt } },
          body: { id: newId(), version: f.version, kind: 'closeFocus', fault: f.fault, closed },
        }),
      )
    } catch (e) {
      setRefused((e as Error).message)
    }
    await queries.invalidateQueries({ queryKey: ['athlete'] })
  }
  const day = today.data?.day ?? ''
  const lefty = (side?: string) => (side === 'L' ? 'left' : 'right')
  const a = p?.athlete
  const open = p?.focuses.filter((f) => !f.shut) ?? []
  const shutOnes = p?.focuses.filter((f) => f.shut) ?? []
  return (
    <Box minH="100%">
      <AppHeader />
      {page.error && (
        <Text role="alert" color="plum" p="28px">
          {page.error.message}
        </Text>
      )}
      {p && a && (
        <Box maxW="1240px" mx="auto" p="20px 28px">
          <Flex align="baseline" gap="12px" mb="2px" wrap="wrap">
            <Heading fontSize="24px">{a.name}</Heading>
            <Text color="soft" flex="1">
              {a.events?.map(event).join(', ')}
            </Text>
            <Link to={`/report/season/${a.id}`} style={{ textDecoration: 'underline' }}>
              Season report
            </Link>
            <Link to={`/calendar?athlete=${a.id}`} style={{ textDecoration: 'underline' }}>
              Plan
            </Link>
            <Button h="36px" onClick={() => setChanging(true)}>
              Change
            </Button>
          </Flex>
          <Text color="soft" mb="4px">
            {a.sex}, born {a.birthYear} ({a.group}), {a.heightM.toFixed(2)} m
            {a.massKg !== undefined && `, ${a.massKg.toFixed(0)} kg`}, {a.level}; throws with the {lefty(a.hand)},
            takes off from the {lefty(a.jumpLeg ?? 'L')}, {lefty(a.frontLeg)} leg in the front block
            {a.para && `; class ${a.para}`}
            {a.aids && `; ${a.aids}`}
          </Text>
          {a.notes && <Text mb="8px">{a.notes}</Text>}
          {refused && (
            <Text role="alert" color="plum" fontWeight="600">
              {refused}
            </Text>
          )}
          <Flex gap="40px" wrap="wrap" align="flex-start" mt="12px">
            <Box flex="1 1 640px" minW="0">
              <Section title="Worked on">
                {p.focuses.length === 0 && (
                  <Hint>
                    Nothing yet. Judge an attempt, choose a focus and give it a cue: it stands here until it holds.
                  </Hint>
                )}
                {open.map((f) => (
                  <OpenFocus
                    key={f.event + f.fault + f.attempt}
                    f={f}
                    event={event(f.event)}
                    onClose={() => void shut(f, day)}
                  />
                ))}
                {shutOnes.length > 0 && (
                  <details>
                    <summary style={{ cursor: 'pointer', minHeight: 28, lineHeight: '28px' }}>
                      {shutOnes.length} closed
                    </summary>
                    {shutOnes.map((f) => (
                      <Flex key={f.event + f.fault + f.attempt} gap="8px" align="center" mb="4px">
                        <Text flex="1">
                          “{f.words}”{' '}
                          <Text as="span" color="soft">
                            for {f.name.toLowerCase()}, {event(f.event)}, closed {longDay(f.shut!)}
                          </Text>
                        </Text>
                        <Button h="30px" onClick={() => void shut(f)}>
                          Open it again
                        </Button>
                      </Flex>
                    ))}
                  </details>
                )}
              </Section>
              <Section title="A measure over time">
                <OverTime
                  athlete={a.id}
                  names={p.measures}
                  events={event}
                  aims={p.focuses.flatMap((f) => f.key ?? [])}
                />
              </Section>
              <Section title="Marks">
                {p.marks.length === 0 && (
                  <Hint>Note a mark, or how an attempt was lost, in the log or at the top of the Bench.</Hint>
                )}
                {[...new Set(p.marks.map((m) => `${m.discipline} ${m.grams ?? 0}`))].map((k) => {
                  const list = p.marks.filter((m) => `${m.discipline} ${m.grams ?? 0}` === k)
                  return (
                    <Marks
                      key={k}
                      name={
                        `${list[0].discipline === list[0].event ? event(list[0].event) : 'Shot'}` +
                        `${list[0].grams ? `, ${list[0].grams / 1000} kg` : ''}`
                      }
                      marks={list}
                    />
                  )
                })}
              </Section>
              <Section title="Key strips">
                <Strips key={p.strips[0]?.id} list={p.strips} events={event} />
              </Section>
              <Section title="Attempts">
                <Attempts
                  athlete={a.id}
                  total={p.attempts}
                  events={today.data?.events.map((e) => [e.id, e.name]) ?? []}
                />
              </Section>
            </Box>
            <Box flex="1 1 340px" minW="0">
              <Section title="Pain">
                <Flex gap="16px" align="flex-start">
                  <AthleteFigure athlete={a} pains={p.pains} />
                  <Box flex="1" minW="0">
                    <Pains page={p} today={day} />
                  </Box>
                </Flex>
              </Section>
              <Section title="Goals">
                <Goals page={p} events={today.data?.events ?? []} today={day} />
              </Section>
              <Section title="Load">
                <Load page={p} events={event} />
              </Section>
              <Section title="Which cues work here">
                {p.record.cues.length === 0 && (
                  <Hint>When a later clip shows what a cue did, keep it in Assign: the record grows here.</Hint>
                )}
                <Tally of="Kinds of cue" list={p.record.kinds} />
                <Tally of="Cues" list={p.record.cues} quoted />
                <Tally of="Faults" list={p.record.faults} />
              </Section>
            </Box>
          </Flex>
        </Box>
      )}
      {changing && p && (
        <AthleteDialog
          athlete={p.athlete}
          events={today.data?.events ?? []}
          onClose={async () => {
            setChanging(false)
            if ((await page.refetch()).isError) go('/')
          }}
        />
      )}
    </Box>
  )
}

const tone = { changed: 'grass', 'no change': 'ochre', misread: 'plum', worse: 'plum' } as const

/** A focus that is worked on: its cue, how far it holds, and closing it. */
function OpenFocus({ f, event, onClose }: { f: Page['focuses'][number]; event: string; onClose: () => void }) {
  return (
    <Box mb="14px">
      <Text fontWeight="600" fontSize="16px">
        “{f.words}”
        {f.closed && (
          <Text as="span" color="grass">
            {' '}
            · it holds
          </Text>
        )}
      </Text>
      <Text color="soft">
        <Link to={`/attempts/${f.attempt}/assign`} style={{ textDecoration: 'underline' }}>
          {f.name}
        </Link>
        , {event}, since {longDay(f.day)} · film again {longDay(f.refilm)}
        {f.due && (
          <Text as="span" color="plum" fontWeight="600">
            {' '}
            · due
          </Text>
        )}
      </Text>
      {f.latest && <Callout tone={tone[f.latest.outcome]}>{f.latest.says}.</Callout>}
      <Hint>
        {f.seen === 0
          ? 'No clip since.'
          : `The limit was kept in ${f.held} of the ${f.seen === 1 ? 'one clip' : `${f.seen} clips`} ` +
            `since. Three ${f.closed ? 'in two sessions: it can close' : 'in a row, in two sessions, close it'}.`}
      </Hint>
      {(f.closed || f.seen > 0) && (
        <Button h="32px" main={f.closed} onClick={() => onClose()}>
          Close this focus
        </Button>
      )}
    </Box>
  )
}

function Tally({ of, list, quoted }: { of: string; list: Page['record']['cues']; quoted?: boolean }) {
  if (list.length === 0) return null
  return (
    <Box mb="12px">
      <Text color="soft" fontSize="12.5px" mb="2px">
        {of}
      </Text>
      {list.map((w) => (
        <Box key={w.of} py="4px" borderTopWidth="1px" borderColor="hair">
          <Text fontWeight="600">{quoted ? `“${w.of}”` : w.of}</Text>
          <Text fontSize="13px">{w.says}.</Text>
        </Box>
      ))}
    </Box>
  )
}

const [wide, tall, left, right, top, foot] = [600, 150, 8, 76, 14, 24]

/** The marks of an event over time; lost attempts stand as crosses on the ground line. */
function Marks({ name, marks }: { name: string; marks: Page['marks'] }) {
  const good = marks.filter((m) => m.value !== undefined && !m.said.foul)
  const values = good.map((m) => m.value!)
  const best = good.find((m) => m.best)
  const lost = marks.length - good.length
  const days = marks.map((m) => Date.parse(m.day))
  const [from, to] = [Math.min(...days), Math.max(...days)]
  const [low, high] = [Math.min(...values), Math.max(...values)]
  const x = (m: Page['marks'][number]) =>
    left +
    (to > from ? (Date.parse(m.day) - from) / (to - from) : 0.5) * (wide - left - right) +
    2.5 * (m.number - 1)
  const y = (v: number) =>
    high > low
      ? top + ((best!.value === high ? high - v : v - low) / (high - low)) * (tall - top - foot - 18)
      : tall / 2
  const says =
    `${name}: ${good.length} mark${good.length === 1 ? '' : 's'}` +
    `${best ? `, best ${best.said.text} on ${longDay(best.day)}` : ''}` +
    `${lost ? `, ${lost} lost` : ''}`
  return (
    <Box mb="14px">
      <Text fontWeight="600">
        {name}{' '}
        <Text as="span" fontWeight="400" color="soft">
          {says.slice(name.length + 2)}
        </Text>
      </Text>
      {good.length > 1 && (
        <Box
          as="svg"
          role="img"
          aria-label={says}
          {...{ viewBox: `0 0 ${wide} ${tall}` }}
          w="100%"
          maxW="640px"
          display="block"
          color="ink"
        >
          <line
            x1={left}
            x2={wide - right}
            y1={tall - foot}
            y2={tall - foot}
            stroke="currentColor"
            strokeOpacity={0.3}
          />
          {marks.map((m) =>
            m.value !== undefined && !m.said.foul ? (
              <circle
                key={m.attempt}
                cx={x(m)}
                cy={y(m.value)}
                r={m === best ? 5 : 3.5}
                fill={m === best ? 'currentColor' : 'none'}
                stroke="currentColor"
                strokeWidth={1.5}
              >
                <title>{`${longDay(m.day)}: ${resultText(m.said)}`}</title>
              </circle>
            ) : (
              <path
                key={m.attempt}
                d={`M${x(m) - 3.5} ${tall - foot - 3.5}l7 7m0 -7l-7 7`}
                stroke="currentColor"
                strokeWidth={1.5}
              >
                <title>{`${longDay(m.day)}: ${resultText(m.said)}`}</title>
              </path>
            ),
          )}
          {best && (
            <text x={x(best) + 9} y={y(best.value!) + 4} fontSize={13} fontWeight={600} fill="currentColor">
              {best.said.text}
            </text>
          )}
          <text x={left} y={tall - 6} fontSize={12} fill="currentColor" opacity={0.75}>
            {longDay(marks[0].day)}
          </text>
          {to > from && (
            <text x={wide - right} y={tall - 6} fontSize={12} textAnchor="end" fill="currentColor" opacity={0.75}>
              {longDay(marks[marks.length - 1].day)}
            </text>
          )}
        </Box>
      )}
    </Box>
  )
}
