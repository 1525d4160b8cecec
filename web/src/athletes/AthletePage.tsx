import { Box, Flex, Heading, Text } from '@chakra-ui/react'
import { useQuery } from '@tanstack/react-query'
import { useState } from 'react'
import { Link, useNavigate, useParams } from 'react-router'
import { markSays } from '../bench/Worth'
import { Barred, Hint, Section } from '../bench/panels/Panel'
import { Mark } from '../door/Door'
import { Act } from '../shared/Act'
import { ask, client, type Schemas } from '../shared/client'
import { longDay } from '../shared/format'
import { AthleteDialog } from './AthleteForm'

type Page = Schemas['AthletePage']

/** An athlete: what is worked on, how far they got, and which cues work. */
export function AthletePage({ who }: { who: Schemas['State'] }) {
  const { id = '' } = useParams()
  const go = useNavigate()
  const page = useQuery({ queryKey: ['athlete', id], queryFn: () => ask(client.GET('/api/athletes/{id}', { params: { path: { id } } })), refetchOnMount: 'always' })
  const today = useQuery({ queryKey: ['today'], queryFn: () => ask(client.GET('/api/today')) })
  const [changing, setChanging] = useState(false)
  const p = page.data
  const event = (e: string) => today.data?.events.find((x) => x.id === e)?.name ?? e
  const tone = { changed: 'grass', 'no change': 'ochre', misread: 'plum', worse: 'plum' } as const
  return (
    <Box minH="100%">
      <Flex h="52px" px="20px" align="center" borderBottomWidth="1px" borderColor="hair" gap="20px">
        <Link to="/" aria-label="To Today"><Mark size={19} /></Link>
        <Text color="soft" flex="1">{who.club} · {who.name}</Text>
        <Link to="/" style={{ textDecoration: 'underline' }}>Today</Link>
        <Link to="/playbook" style={{ textDecoration: 'underline' }}>Playbook</Link>
      </Flex>
      {page.error && <Text role="alert" color="plum" p="28px">{page.error.message}</Text>}
      {p && (
        <Flex maxW="1120px" mx="auto" p="28px" gap="40px" wrap="wrap" align="flex-start">
          <Box flex="1 1 600px" minW="0">
            <Flex align="baseline" gap="12px" mb="18px" wrap="wrap">
              <Heading fontSize="24px">{p.athlete.name}</Heading>
              <Text color="soft" flex="1">{p.athlete.sex}, born {p.athlete.birthYear}, {p.athlete.heightM.toFixed(2)} m, {p.athlete.level}; throws with the {p.athlete.hand === 'L' ? 'left' : 'right'}, takes off from the {p.athlete.jumpLeg === 'R' ? 'right' : 'left'}</Text>
              <Act h="36px" onClick={() => setChanging(true)}>Change</Act>
            </Flex>
            <Section title="Worked on">
              {p.focuses.length === 0 && <Hint>Nothing yet. Judge an attempt, choose a focus and give it a cue: it stands here until it holds.</Hint>}
              {p.focuses.map((f) => (
                <Box key={f.event + f.fault + f.attempt} mb="14px">
                  <Text fontWeight="600" fontSize="16px">“{f.words}”{f.closed && <Text as="span" color="grass"> · it holds</Text>}</Text>
                  <Text color="soft"><Link to={`/attempts/${f.attempt}/assign`} style={{ textDecoration: 'underline' }}>{f.name}</Link>, {event(f.event)}, since {longDay(f.day)} · film again {longDay(f.refilm)}{f.due && <Text as="span" color="plum" fontWeight="600"> · due</Text>}</Text>
                  {f.latest && <Barred tone={tone[f.latest.outcome]}>{f.latest.says}.</Barred>}
                  <Hint>{f.seen === 0 ? 'No clip since.' : `The limit was kept in ${f.held} of the ${f.seen === 1 ? 'one clip' : `${f.seen} clips`} since. ${f.closed ? 'Three in two sessions: the focus can close.' : 'Three in a row, in two sessions, close it.'}`}</Hint>
                </Box>
              ))}
            </Section>
            <Section title="Marks">
              {p.marks.length === 0 && <Hint>Note a mark, or how an attempt was lost, at the top of the Bench.</Hint>}
              {[...new Set(p.marks.map((m) => m.event))].map((e) => <Marks key={e} name={event(e)} marks={p.marks.filter((m) => m.event === e)} />)}
            </Section>
          </Box>
          <Box flex="1 1 320px" minW="0">
            <Section title="Which cues work here">
              {p.record.cues.length === 0 && <Hint>When a later clip shows what a cue did, keep it in Assign: the record grows here.</Hint>}
              <Tally of="Kinds of cue" list={p.record.kinds} />
              <Tally of="Cues" list={p.record.cues} quoted />
              <Tally of="Faults" list={p.record.faults} />
            </Section>
          </Box>
        </Flex>
      )}
      {changing && p && <AthleteDialog athlete={p.athlete} onClose={async () => { setChanging(false); if ((await page.refetch()).isError) go('/') }} />}
    </Box>
  )
}

function Tally({ of, list, quoted }: { of: string; list: Page['record']['cues']; quoted?: boolean }) {
  if (list.length === 0) return null
  return (
    <Box mb="12px">
      <Text color="soft" fontSize="12.5px" mb="2px">{of}</Text>
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
  const x = (m: Page['marks'][number]) => left + (to > from ? (Date.parse(m.day) - from) / (to - from) : 0.5) * (wide - left - right)
  const y = (v: number) => (high > low ? top + ((best!.value === high ? high - v : v - low) / (high - low)) * (tall - top - foot - 18) : tall / 2)
  const says = `${name}: ${good.length} mark${good.length === 1 ? '' : 's'}${best ? `, best ${best.said.text} on ${longDay(best.day)}` : ''}${lost ? `, ${lost} lost` : ''}`
  return (
    <Box mb="14px">
      <Text fontWeight="600">{name} <Text as="span" fontWeight="400" color="soft">{says.slice(name.length + 2)}</Text></Text>
      {good.length > 1 && (
        <Box as="svg" role="img" aria-label={says} {...{ viewBox: `0 0 ${wide} ${tall}` }} w="100%" maxW="640px" display="block" color="ink">
          <line x1={left} x2={wide - right} y1={tall - foot} y2={tall - foot} stroke="currentColor" strokeOpacity={0.3} />
          {marks.map((m) => m.value !== undefined && !m.said.foul
            ? <circle key={m.attempt} cx={x(m)} cy={y(m.value)} r={m === best ? 5 : 3.5} fill={m === best ? 'currentColor' : 'none'} stroke="currentColor" strokeWidth={1.5}><title>{`${longDay(m.day)}: ${markSays(m.said)}`}</title></circle>
            : <path key={m.attempt} d={`M${x(m) - 3.5} ${tall - foot - 3.5}l7 7m0 -7l-7 7`} stroke="currentColor" strokeWidth={1.5}><title>{`${longDay(m.day)}: ${markSays(m.said)}`}</title></path>)}
          {best && <text x={x(best) + 9} y={y(best.value!) + 4} fontSize={13} fontWeight={600} fill="currentColor">{best.said.text}</text>}
          <text x={left} y={tall - 6} fontSize={12} fill="currentColor" opacity={0.75}>{longDay(marks[0].day)}</text>
          {to > from && <text x={wide - right} y={tall - 6} fontSize={12} textAnchor="end" fill="currentColor" opacity={0.75}>{longDay(marks[marks.length - 1].day)}</text>}
        </Box>
      )}
      <details>
        <summary style={{ cursor: 'pointer', fontSize: 13, minHeight: 28, lineHeight: '28px' }}>all of them, the latest first</summary>
        {[...marks].reverse().map((m) => <Text key={m.attempt} fontSize="13px"><Link to={`/attempts/${m.attempt}/watch`} style={{ textDecoration: 'underline' }}>{longDay(m.day)}, {m.number}</Link>: {markSays(m.said)}</Text>)}
      </details>
    </Box>
  )
}
