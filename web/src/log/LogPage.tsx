import { Box, Flex, Heading, Input, NativeSelect, Text, chakra } from '@chakra-ui/react'
import { useQuery, useQueryClient } from '@tanstack/react-query'
import { useEffect, useRef, useState } from 'react'
import { Link, useNavigate, useParams } from 'react-router'
import { v7 as newId } from 'uuid'
import { Hint } from '../ui/Panel'
import { Button, Pills } from '../ui/Button'
import { ask, client, type Schemas } from '../ui/client'
import { longDay } from '../ui/format'
import { AppHeader } from '../ui/AppHeader'
import { arrived, forget, note, useAway, useQueue, type Noted } from '../ui/logQueue'
import { resultText } from '../ui/result'

type Today = Schemas['Today']
type Head = {
  day: string
  place: string
  kind: 'training' | 'meet'
  surface: string
  weather: string
  wind: string
}
type Row = { athlete: string; event: string }

const field = { bg: 'paper', borderColor: 'hair', h: '38px' } as const
const number = (s: string) => (s.trim() === '' ? undefined : Number(s.replace(',', '.').replace('−', '-')))

/** The log: sessions, and a series for each athlete, kept in the browser until the server has it. */
export function LogPage() {
  const { id } = useParams()
  const today = useQuery({ queryKey: ['today'], queryFn: () => ask(client.GET('/api/today')) })
  return (
    <Box minH="100%">
      <AppHeader />
      {today.error && (
        <Text role="alert" color="plum" p="28px">
          {today.error.message}
        </Text>
      )}
      {today.data && (id ? <Day id={id} today={today.data} /> : <Sessions today={today.data} />)}
    </Box>
  )
}

/** All sessions, and the one that is begun now. */
function Sessions({ today }: { today: Today }) {
  const go = useNavigate()
  const [pages, setPages] = useState<string[]>([''])
  const [place, setPlace] = useState(today.attempts[0]?.place ?? '')
  const [day, setDay] = useState(today.day)
  const begin = (e: React.FormEvent) => {
    e.preventDefault()
    go(`/log/${day}@${encodeURIComponent(place.trim())}`)
  }
  return (
    <Box maxW="860px" mx="auto" p="28px">
      <Heading fontSize="21px" mb="10px">
        Log
      </Heading>
      <chakra.form
        onSubmit={begin}
        display="flex"
        gap="10px"
        alignItems="flex-end"
        flexWrap="wrap"
        mb="20px"
        bg="raised"
        p="14px"
        borderWidth="1px"
        borderColor="hair"
        borderRadius="10px"
      >
        <Box>
          <Text fontSize="12.5px" color="soft">
            Day
          </Text>
          <Input
            type="date"
            aria-label="Day"
            {...field}
            w="160px"
            value={day}
            onChange={(e) => setDay(e.target.value)}
            required
          />
        </Box>
        <Box flex="1 1 200px">
          <Text fontSize="12.5px" color="soft">
            Place
          </Text>
          <Input
            aria-label="Place"
            {...field}
            value={place}
            onChange={(e) => setPlace(e.target.value)}
            placeholder="track or hall"
            required
          />
        </Box>
        <Button main type="submit">
          Open the day’s log
        </Button>
      </chakra.form>
      {pages.map((before, i) => (
        <SessionsPage
          key={before}
          before={before}
          last={i === pages.length - 1}
          onMore={(b) => setPages([...pages, b])}
        />
      ))}
    </Box>
  )
}

function SessionsPage({
  before,
  last,
  onMore,
}: {
  before: string
  last: boolean
  onMore: (before: string) => void
}) {
  const list = useQuery({
    queryKey: ['sessions', before],
    queryFn: () => ask(client.GET('/api/sessions', { params: { query: before ? { before } : {} } })),
    refetchOnMount: 'always',
  })
  return (
    <>
      {!before && list.data?.length === 0 && (
        <Hint>No session yet. Open today’s log and note the first attempt.</Hint>
      )}
      {list.data?.map((s) => (
        <Link key={s.id} to={`/log/${s.id}`} style={{ display: 'block' }}>
          <Flex
            gap="14px"
            py="9px"
            borderTopWidth="1px"
            borderColor="hair"
            align="baseline"
            _hover={{ bg: 'raised' }}
          >
            <Text fontWeight="600" w="170px">
              {longDay(s.day)}
            </Text>
            <Text flex="1">
              {s.place}
              {s.kind === 'meet' && ' · meet'}
            </Text>
            <Text color="soft">
              {s.attempts} attempt{s.attempts === 1 ? '' : 's'} of {s.athletes}
            </Text>
          </Flex>
        </Link>
      ))}
      {last && list.data?.length === 40 && (
        <Button mt="12px" onClick={() => onMore(list.data![39].day)}>
          Earlier ones
        </Button>
      )}
    </>
  )
}

/** One day at one place. Its address is the session’s id, or the day and place of one that is not there yet. */
function Day({ id, today }: { id: string; today: Today }) {
  const queries = useQueryClient()
  const go = useNavigate()
  const fresh = id.includes('@')
  const page = useQuery({
    queryKey: ['session', id],
    queryFn: () => ask(client.GET('/api/sessions/{id}', { params: { path: { id } } })),
    enabled: !fresh,
    refetchOnMount: 'always',
  })
  const sessions = useQuery({
    queryKey: ['sessions', ''],
    queryFn: () => ask(client.GET('/api/sessions')),
    enabled: fresh,
  })
  const queue = useQueue()
  const away = useAway()
  const was = page.data?.session
  const [day, place] = fresh
    ? [id.slice(0, 10), decodeURIComponent(id.slice(11))]
    : [was?.day ?? '', was?.place ?? '']
  useEffect(() => {
    const hear = () => {
      void queries.invalidateQueries({ queryKey: ['session'] })
      void queries.invalidateQueries({ queryKey: ['sessions'] })
      void queries.invalidateQueries({ queryKey: ['today'] })
    }
    arrived.add(hear)
    return () => {
      arrived.delete(hear)
    }
  }, [queries])
  const mine = queue.filter((n) => n.body.day === day && n.body.place === place)
  useEffect(() => {
    const s = fresh && mine.length === 0 && sessions.data?.find((x) => x.day === day && x.place === place)
    if (!s) return
    const path = { id: s.id }
    void queries
      .prefetchQuery({
        queryKey: ['session', s.id],
        queryFn: () => ask(client.GET('/api/sessions/{id}', { params: { path } })),
      })
      .then(() => go(`/log/${s.id}`, { replace: true }))
  }, [fresh, mine.length, sessions.data, day, place, go, queries])
  if (page.error && !page.data)
    return (
      <Text role="alert" color="plum" p="28px">
        {page.error.message}
      </Text>
    )
  if (!fresh && !page.data) return null
  return (
    <Box maxW="1180px" mx="auto" p="20px 28px">
      <Flex align="baseline" gap="12px" wrap="wrap" mb="8px">
        <Heading fontSize="21px">
          {place}, {longDay(day)}
        </Heading>
        <Text flex="1" color="soft">
          {was &&
            `${was.attempts} attempt${was.attempts === 1 ? '' : 's'} of ${was.athletes} athlete` +
              `${was.athletes === 1 ? '' : 's'}`}
        </Text>
        {was && (
          <Link to={`/report/session/${was.id}`} style={{ textDecoration: 'underline' }}>
            Summary
          </Link>
        )}
        <Link to="/log" style={{ textDecoration: 'underline' }}>
          All sessions
        </Link>
      </Flex>
      {(away || mine.length > 0) && (
        <Box role="status" borderLeftWidth="3px" borderColor="ochre" pl="10px" mb="10px">
          {mine.filter((n) => !n.refused).length > 0
            ? `${mine.filter((n) => !n.refused).length} kept in this browser, sent when the server is back. `
            : ''}
          {away && <b>{away[0].toUpperCase() + away.slice(1)}.</b>}
        </Box>
      )}
      {mine
        .filter((n) => n.refused)
        .map((n) => (
          <Flex
            key={n.id}
            role="alert"
            gap="10px"
            align="center"
            borderLeftWidth="3px"
            borderColor="plum"
            pl="10px"
            mb="8px"
          >
            <Text flex="1">
              {n.kind === 'attempt'
                ? `${n.athlete}, “${n.body.mark || n.body.foul || 'an attempt'}”`
                : 'What is noted of the session'}{' '}
              was not taken: {n.refused}.
            </Text>
            {n.kind === 'attempt' && <Correct n={n} />}
            <Button h="34px" onClick={() => forget(n.id)}>
              Drop it
            </Button>
          </Flex>
        ))}
      <Conditions key={was?.version ?? 'new'} day={day} place={place} was={was} />
      <Series key={day + place} today={today} day={day} place={place} page={page.data} waiting={mine} />
    </Box>
  )
}

/** Corrects a mark that was refused, and sends it again under the same id. */
function Correct({ n }: { n: Noted & { kind: 'attempt' } }) {
  const [text, setText] = useState(n.body.mark ?? '')
  return (
    <chakra.form
      display="flex"
      gap="6px"
      onSubmit={(e) => {
        e.preventDefault()
        note({ ...n, refused: undefined, body: { ...n.body, mark: text.trim() } })
      }}
    >
      <Input
        aria-label="Corrected mark"
        {...field}
        w="110px"
        value={text}
        onChange={(e) => setText(e.target.value)}
      />
      <Button h="34px" type="submit">
        Send it
      </Button>
    </chakra.form>
  )
}

const surfaces = ['synthetic', 'concrete circle', 'cinder', 'grass', 'indoor synthetic']

function Conditions({ day, place, was }: { day: string; place: string; was?: Schemas['Session'] }) {
  const [h, setH] = useState<Head>({
    day,
    place,
    kind: was?.kind ?? 'training',
    surface: was?.surface ?? '',
    weather: was?.weather ?? '',
    wind: was?.wind === undefined ? '' : String(was.wind),
  })
  const put = (more: Partial<Head>) => setH({ ...h, ...more })
  const keep = (next: Head) => {
    const wind = number(next.wind)
    if (wind !== undefined && Number.isNaN(wind)) return
    note({
      kind: 'session',
      id: `session ${day} ${place}`,
      body: {
        day,
        place,
        kind: next.kind,
        surface: next.surface,
        weather: next.weather,
        wind,
        version: was?.version ?? 0,
      },
    })
  }
  const bad = h.wind !== '' && Number.isNaN(number(h.wind))
  return (
    <Flex gap="10px" align="flex-end" wrap="wrap" mb="14px" aria-label="Conditions" role="group">
      <Pills
        label="Kind of session"
        options={[
          ['training', 'Training'],
          ['meet', 'Meet'],
        ]}
        value={h.kind}
        onPick={(kind) => {
          put({ kind })
          keep({ ...h, kind })
        }}
      />
      <Input
        aria-label="Surface"
        list="surfaces"
        placeholder="surface"
        {...field}
        w="160px"
        value={h.surface}
        onChange={(e) => put({ surface: e.target.value })}
        onBlur={() => h.surface !== (was?.surface ?? '') && keep(h)}
      />
      <datalist id="surfaces">
        {surfaces.map((s) => (
          <option key={s} value={s} />
        ))}
      </datalist>
      <Input
        aria-label="Weather"
        placeholder="weather"
        {...field}
        w="180px"
        value={h.weather}
        onChange={(e) => put({ weather: e.target.value })}
        onBlur={() => h.weather !== (was?.weather ?? '') && keep(h)}
      />
      <Flex align="center" gap="6px">
        <Input
          aria-label="Wind, metres a second, from behind positive"
          placeholder="wind"
          inputMode="text"
          {...field}
          w="80px"
          value={h.wind}
          onChange={(e) => put({ wind: e.target.value })}
          onBlur={() => number(h.wind) !== was?.wind && keep(h)}
        />
        <Text color="soft">m/s</Text>
      </Flex>
      {bad && (
        <Text role="alert" color="plum">
          Write the wind as in −1.3
        </Text>
      )}
    </Flex>
  )
}

type More = { effort: string; rpe: string; wind: string; landed: string; board: string }
const none: More = { effort: '', rpe: '', wind: '', landed: '', board: '' }

/** The athletes who were added to a day, in their order. */
function rowsOf(day: string, place: string): Row[] {
  try {
    return JSON.parse(localStorage.getItem(`neokinema rows ${day} ${place}`) ?? '[]')
  } catch {
    return []
  }
}

function Series({
  today,
  day,
  place,
  page,
  waiting,
}: {
  today: Today
  day: string
  place: string
  page?: Schemas['SessionPage']
  waiting: Noted[]
}) {
  const [added, setAdded] = useState<Row[]>(() => rowsOf(day, place))
  const add = (athlete: string) => {
    const next = [...added, { athlete, event }]
    localStorage.setItem(`neokinema rows ${day} ${place}`, JSON.stringify(next))
    setAdded(next)
  }
  const last = page?.series[0]?.event ?? today.events[0]?.id
  const [event, setEvent] = useState(today.events.some((e) => e.id === last) ? last : today.events[0].id)
  const rows: Row[] = [...added]
  for (const r of [
    ...(page?.series.map((s) => ({ athlete: s.athleteId, event: s.event })) ?? []),
    ...waiting.flatMap((n) => (n.kind === 'attempt' ? [{ athlete: n.body.athleteId, event: n.body.event }] : [])),
  ]) {
    if (!rows.some((x) => x.athlete === r.athlete && x.event === r.event)) rows.push(r)
  }
  const table = useRef<HTMLDivElement>(null)
  const free = today.athletes.filter((a) => !rows.some((r) => r.athlete === a.id && r.event === event))
  free.sort((a, b) => Number(b.events?.includes(event) ?? false) - Number(a.events?.includes(event) ?? false))
  /** After an entry the next row’s field is ready: athletes follow one another. */
  const next = (from: number) => {
    const fields = table.current?.querySelectorAll<HTMLInputElement>('input[data-entry]')
    fields?.[(from + 1) % fields.length]?.focus()
  }
  return (
    <>
      <Flex gap="8px" align="center" wrap="wrap" mb="12px">
        <NativeSelect.Root w="190px">
          <NativeSelect.Field
            aria-label="Event"
            {...field}
            value={event}
            onChange={(e) => setEvent(e.currentTarget.value)}
          >
            {today.events.map((e) => (
              <option key={e.id} value={e.id}>
                {e.name}
              </option>
            ))}
          </NativeSelect.Field>
          <NativeSelect.Indicator />
        </NativeSelect.Root>
        <NativeSelect.Root w="240px">
          <NativeSelect.Field
            aria-label="Add an athlete"
            {...field}
            value=""
            onChange={(e) => e.currentTarget.value && add(e.currentTarget.value)}
          >
            <option value="">add an athlete…</option>
            {free.map((a) => (
              <option key={a.id} value={a.id}>
                {a.name}
              </option>
            ))}
          </NativeSelect.Field>
          <NativeSelect.Indicator />
        </NativeSelect.Root>
        <Hint>
          Type a mark and press Enter: 61.25 or 200-11. A lost one: x, or x with a word of how. Press an entry to
          correct it.
        </Hint>
      </Flex>
      {rows.length === 0 && <Hint>Choose the event, then add the athletes in their order.</Hint>}
      <div ref={table}>
        {rows.map((r, i) => (
          <SeriesRow
            key={r.athlete + r.event}
            row={r}
            today={today}
            day={day}
            place={place}
            onDone={() => next(i)}
            series={page?.series.find((s) => s.athleteId === r.athlete && s.event === r.event)}
            waiting={waiting.filter(
              (n): n is Noted & { kind: 'attempt' } =>
                n.kind === 'attempt' && n.body.athleteId === r.athlete && n.body.event === r.event,
            )}
          />
        ))}
      </div>
    </>
  )
}

function SeriesRow({
  row,
  today,
  day,
  place,
  series,
  waiting,
  onDone,
}: {
  row: Row
  today: Today
  day: string
  place: string
  series?: Schemas['Series']
  waiting: (Noted & { kind: 'attempt' })[]
  onDone: () => void
}) {
  const who = today.athletes.find((a) => a.id === row.athlete)
  const event = today.events.find((e) => e.id === row.event)
  const usual = event && who ? event.implements[who.sex]?.[who.group ?? ''] : undefined
  const lastUsed = series?.attempts[series.attempts.length - 1]?.details.implementG
  const [text, setText] = useState('')
  const [more, setMore] = useState<More>(none)
  const [kg, setKg] = useState(lastUsed ? String(lastUsed / 1000) : usual ? String(usual) : '')
  const [says, setSays] = useState('')
  if (!who || !event) return null
  const asks = (detail: (typeof event.log)[number]) => event.log.includes(detail)
  const throws = asks('implement')
  const enter = (e: React.FormEvent) => {
    e.preventDefault()
    const t = text.trim()
    const lost = /^[x✕]/i.test(t)
    const how = t.slice(1).trim().toLowerCase()
    const foul = lost ? (how ? event.fouls.find((f) => f.toLowerCase().includes(how)) : event.fouls[0]) : undefined
    if (lost && !foul) return setSays(`No way of losing it is called “${how}”: ${event.fouls.join(', ')}`)
    const grams = number(kg)
    const parts = {
      effort: number(more.effort),
      rpe: number(more.rpe),
      wind: number(more.wind),
      landedDeg: number(more.landed),
      boardCm: number(more.board),
      implementG: throws && grams ? Math.round(1000 * grams) : undefined,
    }
    const wrong = Object.entries(parts).find(([, v]) => v !== undefined && Number.isNaN(v))
    if (wrong) return setSays('These are numbers: write them as in 8 or −1.3')
    setSays('')
    note({
      kind: 'attempt',
      id: newId(),
      athlete: who.name,
      body: {
        id: newId(),
        athleteId: who.id,
        event: event.id,
        day,
        place,
        mark: lost ? '' : t,
        foul,
        details: parts,
      },
    })
    setText('')
    setMore({ ...none, effort: more.effort })
    onDone()
  }
  const small = (name: keyof More, label: string, w = '64px') => (
    <Box>
      <Text fontSize="12.5px" color="soft">
        {label}
      </Text>
      <Input
        aria-label={`${label}, ${who.name}`}
        {...field}
        w={w}
        px="8px"
        inputMode="text"
        value={more[name]}
        onChange={(e) => setMore({ ...more, [name]: e.target.value })}
      />
    </Box>
  )
  return (
    <Box as="section" aria-label={`${who.name}, ${event.name}`} borderTopWidth="1px" borderColor="hair" py="10px">
      <Flex gap="10px" align="baseline" wrap="wrap">
        <Text fontWeight="600" fontSize="16px">
          <Link to={`/athletes/${who.id}`}>{who.name}</Link>
        </Text>
        <Text color="soft" flex="1">
          {event.name}
          {throws && who.group ? ` · ${who.group}` : ''}
        </Text>
        <Text>{series?.sum.says}</Text>
      </Flex>
      <AttemptCells attempts={series?.attempts ?? []} waiting={waiting} />
      <chakra.form onSubmit={enter} display="flex" gap="8px" alignItems="flex-end" flexWrap="wrap">
        <Box>
          <Text fontSize="12.5px" color="soft">
            {event.kind ? 'Mark' : 'x when it was lost'}
          </Text>
          <Input
            data-entry
            aria-label={`Mark, ${who.name}`}
            autoComplete="off"
            {...field}
            w="130px"
            fontWeight="600"
            value={text}
            onChange={(e) => setText(e.target.value)}
          />
        </Box>
        {throws && (
          <Box>
            <Text fontSize="12.5px" color="soft">
              kg
            </Text>
            <Input
              aria-label={`Implement, kilograms, ${who.name}`}
              {...field}
              w="70px"
              px="8px"
              value={kg}
              onChange={(e) => setKg(e.target.value)}
              title={usual ? `the rules’ implement is ${usual} kg; local rules win` : undefined}
            />
          </Box>
        )}
        {small('effort', 'effort, %')}
        {small('rpe', 'felt, 1–10')}
        {asks('wind') && small('wind', 'wind')}
        {asks('landed') && small('landed', 'landed, °')}
        {asks('board') && small('board', 'to board, cm', '84px')}
        <Button type="submit" h="38px">
          Note it
        </Button>
        {says && (
          <Text role="alert" color="plum">
            {says}
          </Text>
        )}
      </chakra.form>
      {series?.beforeSum && series.before && (
        <Text fontSize="12.5px" color="soft" mt="4px">
          Last session, {longDay(series.before)}: {series.beforeSum.says}
          {series.against && `; ${series.against}`}.
        </Text>
      )}
    </Box>
  )
}

/** The attempts of a series, and those that are not sent yet. */
function AttemptCells({
  attempts,
  waiting,
}: {
  attempts: Schemas['Series']['attempts']
  waiting: (Noted & { kind: 'attempt' })[]
}) {
  return (
    <Flex gap="6px" wrap="wrap" my="6px" as="ol" listStyleType="none" aria-label="Attempts">
      {attempts.map((a) => (
        <Link key={a.id} to={`/attempts/${a.id}/watch`}>
          <Box
            as="li"
            minW="84px"
            px="8px"
            py="4px"
            borderWidth="1px"
            borderColor="hair"
            borderRadius="8px"
            bg="raised"
            _hover={{ borderColor: 'ink' }}
          >
            <Text fontSize="12.5px" color="soft">
              {a.number}
              {a.details.effort ? ` · ${a.details.effort} %` : ''}
              {a.details.rpe ? ` · ${a.details.rpe}/10` : ''}
            </Text>
            <Text fontWeight="600" color={a.mark?.foul ? 'plum' : 'ink'} title={a.mark?.imperial}>
              {a.mark ? resultText(a.mark) : '–'}
            </Text>
          </Box>
        </Link>
      ))}
      {waiting.map((n) => (
        <Box
          as="li"
          key={n.id}
          minW="84px"
          px="8px"
          py="4px"
          borderWidth="1px"
          borderStyle="dashed"
          borderColor={n.refused ? 'plum' : 'ochre'}
          borderRadius="8px"
        >
          <Text fontSize="12.5px" color="soft">
            {n.refused ? 'not taken' : 'kept here'}
          </Text>
          <Text fontWeight="600">
            {n.body.foul ? `✕ ${n.body.foul}` : n.body.mark || '–'}{' '}
            {!n.refused && (
              <chakra.button
                aria-label={`Drop ${n.body.mark || n.body.foul || 'it'}, which is not sent yet`}
                color="soft"
                cursor="pointer"
                px="4px"
                onClick={() => forget(n.id)}
              >
                ✕
              </chakra.button>
            )}
          </Text>
        </Box>
      ))}
    </Flex>
  )
}
