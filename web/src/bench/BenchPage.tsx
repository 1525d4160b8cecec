import { Box, Flex, Grid, NativeSelect, Text, chakra } from '@chakra-ui/react'
import { useQuery } from '@tanstack/react-query'
import { memo, useCallback, useDeferredValue, useEffect, useLayoutEffect, useMemo, useRef, useState } from 'react'
import { Link, useNavigate, useParams } from 'react-router'
import { Mark, useDoor } from '../door/Door'
import { ask, client, type Clip, type Judged, type Schemas } from '../shared/client'
import { DialContext } from '../shared/dial'
import { known, longDay } from '../shared/format'
import { AddClip } from './AddClip'
import { Clash } from './Clash'
import { ControlBar } from './ControlBar'
import { KeyCard } from './KeyCard'
import { Ladder } from './Ladder'
import { Score } from './Score'
import { Stage } from './Stage'
import { Beside } from './Beside'
import { carried, followedAt, inHand, marksAt, passes, stages, valuesAt, type Desk, type StageName, type Tool, type Trails } from './desk'
import { Assign } from './panels/Assign'
import { Clocks } from './panels/Clocks'
import { Judge } from './panels/Judge'
import { Measure } from './panels/Measure'
import { Hint } from './panels/Panel'
import { Pin, type Pinned } from './panels/Pin'
import { Proposals } from './panels/Proposals'
import { Split } from './panels/Split'
import { Film } from './panels/Film'
import { Follow } from './panels/Follow'
import { Space, TakeOff } from './panels/Space'
import { Watch } from './panels/Watch'
import { Worth } from './Worth'
import { useBench } from './useBench'
import { usePlayer, type Loop } from './usePlayer'
import { useRhythm } from './useRhythm'

export function BenchPage() {
  const { id = '', stage: named } = useParams()
  const name = stages.find((s) => s === named) ?? 'watch'
  return <BenchOf key={id} id={id} stage={name} />
}

const titles: Record<StageName, string> = { watch: 'Watch', split: 'Split', measure: 'Measure', judge: 'Judge', assign: 'Assign' }

const BenchOf = memo(function BenchOf({ id, stage }: { id: string; stage: StageName }) {
  const table = useBench(id)
  const { bench, reading, paths, send } = table
  const playbook = useQuery({
    queryKey: ['playbook', bench?.event, bench?.variant, id],
    queryFn: () => ask(client.GET('/api/playbook/{event}', { params: { path: { event: bench!.event }, query: { variant: bench!.variant, attempt: id } } })),
    enabled: !!bench, staleTime: Infinity,
  })
  const event = playbook.data
  const clip = bench?.clip
  const [pass, setPass] = useState(0)
  const [speed, setSpeed] = useState(passes[0].speed)
  const [loop, setLoop] = useState<Loop>()
  const { frame, now, go, step, running, setRunning, frames, arrivals } = usePlayer(clip, speed, loop)
  const [rhythm, setRhythm] = useState(false)
  useRhythm(rhythm, reading, frame, running)
  const [mirror, setMirror] = useState(false)
  const [pin, setPin] = useState<Pinned>()
  const [beside, setBeside] = useState(false)
  const [second, setSecond] = useState<string>() // the attempt that is the score's second voice
  const [rungChosen, setChosen] = useState<string>()
  const [picked, setPicked] = useState<{ frame: number; name: string }>()
  const [tool, setTool] = useState<Tool>()
  const [opened, setOpened] = useState<string>()
  const [preview, setPreview] = useState<Judged[]>()
  const [trails, setTrails] = useState<Trails>('one')
  const [help, setHelp] = useState(false)
  const [naming, setNaming] = useState(false)
  const calm = useDeferredValue(frame) // what stands beside the picture follows it

  const desk = useMemo<Desk | undefined>(() => {
    if (!bench || !event) return
    const visit = (place: string) => {
      setChosen(place)
      const at = bench.stamps[place]
      if (at !== undefined) go(at)
    }
    const open = (key: string | undefined) => {
      setOpened(key)
      const v = reading?.values.find((x) => x.key === key)
      if (v) visit(v.keyId)
    }
    const front = (role: string) => bench.firstLine.includes(role)
    return { bench, event, reading, paths, send, go, visit, open, front }
  }, [bench, event, reading, paths, send, go])

  const began = useRef(false)
  useEffect(() => {
    if (began.current || !bench || !frames || !event) return
    began.current = true
    const f = event.faults.find((x) => x.id === bench.focuses[0]?.fault)
    const at = (stage === 'judge' || stage === 'assign') && f ? bench.stamps[f.at] : undefined
    const open = event.keys.find((k) => bench.stamps[k.id] !== undefined)
    go(at ?? (stage === 'watch' || !open ? clip?.first ?? 0 : bench.stamps[open.id]))
  }, [bench, frames, event, stage, go])

  const found = useQuery({
    queryKey: ['proposals', id, bench?.version, bench?.other?.version], enabled: stage === 'split' && !!bench && !table.saving && clip?.status === 'ready' && clip.captureRate > 0, staleTime: Infinity, placeholderData: (b) => b,
    queryFn: () => ask(client.GET('/api/attempts/{id}/proposals', { params: { path: { id } } })),
  })
  const proposals = useMemo(() => (stage === 'split' && bench ? (found.data?.proposals.filter((p) => bench.stamps[p.keyId] === undefined) ?? []) : []), [stage, bench, found.data])
  const clocks = useQuery({
    queryKey: ['clocks', id, bench?.version, bench?.other?.version], enabled: !!bench?.other && clip?.status === 'ready' && clip.captureRate > 0, staleTime: Infinity, placeholderData: (b) => b, retry: false,
    queryFn: () => ask(client.GET('/api/attempts/{id}/clocks', { params: { path: { id } } })),
  })
  const otherFilm = useQuery({ queryKey: ['bench-of', bench?.other?.id, bench?.other?.version], enabled: beside && !!bench?.other, queryFn: () => ask(client.GET('/api/attempts/{id}', { params: { path: { id: bench!.other!.id } } })) })
  const siblings = useQuery({ queryKey: ['sheet', id, 'all'], enabled: stage === 'split' && !!bench, staleTime: 60_000, queryFn: () => ask(client.GET('/api/attempts/{id}/sheet', { params: { path: { id }, query: { all: true } } })) })
  const voiceReading = useQuery({ queryKey: ['voice', second], enabled: !!second, retry: false, queryFn: () => ask(client.GET('/api/attempts/{id}/reading', { params: { path: { id: second! } } })) })
  const secondOf = siblings.data?.find((c) => c.id === second)
  const voice = useMemo(() => (voiceReading.data && secondOf ? { name: `no. ${secondOf.number}, ${secondOf.day}`, reading: voiceReading.data } : undefined), [voiceReading.data, secondOf])
  const takeAll = useCallback(() => proposals.length > 0 && send({ kind: 'stamps', stamps: Object.fromEntries(proposals.map((p) => [p.keyId, p.frame])) }), [proposals, send])
  const loopOf = useCallback((from: string, to: string, name: string) => {
    const a = bench?.stamps[from], b = bench?.stamps[to]
    if (a !== undefined && b !== undefined) setLoop((l) => (l?.name === name ? undefined : { from: a, to: b, name }))
  }, [bench])
  const choosePass = (i: number) => {
    setPass(i)
    setSpeed(passes[i].speed)
  }

  const hand = desk && inHand(desk, frame, rungChosen, picked)
  const { here, next } = hand ?? {}
  const ready = clip?.status === 'ready'
  const timed = ready && clip.captureRate > 0 && !!clip.times

  const stamp = useCallback((place: string) => {
    send({ kind: 'stamp', keyId: place, frame: now.current })
    setChosen(undefined)
  }, [send, now])
  const unstamp = useCallback((place: string) => send({ kind: 'stamp', keyId: place }), [send])
  const rung = useCallback((by: number) => {
    if (!desk) return
    const all = stage === 'split' ? desk.event.keys : desk.event.keys.filter((k) => desk.bench.stamps[k.id] !== undefined)
    const i = all.findIndex((k) => k.id === inHand(desk, now.current, rungChosen).current)
    let j = i + by
    if (i < 0) {
      const after = all.findIndex((k) => (desk.bench.stamps[k.id] ?? -1) > now.current)
      j = after < 0 ? all.length - 1 : by > 0 ? after : after - 1
    }
    const to = all[Math.min(all.length - 1, Math.max(0, j))]
    if (to) desk.visit(to.id)
  }, [desk, rungChosen, stage, now])

  /** Moves the stamp of the rung in hand by pictures, and shows where it went. */
  const nudge = useCallback((by: number) => {
    const at = here && bench?.stamps[here.id]
    if (!here || at === undefined || !clip) return
    const to = Math.min(clip.first + clip.frames - 1, Math.max(clip.first, at + by))
    send({ kind: 'stamp', keyId: here.id, frame: to })
    setChosen(here.id)
    go(to)
  }, [here, bench, clip, send, go])

  const pressed = useRef<(e: KeyboardEvent) => void>(undefined)
  useLayoutEffect(() => {
    pressed.current = (e: KeyboardEvent) => {
      const el = e.target as HTMLElement
      if (e.ctrlKey || e.metaKey || e.altKey || el.closest('input, textarea, select, [role=dialog], [role=alertdialog]')) return
      if (!desk) return
      const k = e.key.toLowerCase()
      if (naming) {
        setNaming(false)
        const alike = desk.event.keys.filter((x) => x.letter === k)
        const named = alike.find((x) => desk.bench.stamps[x.id] === undefined) ?? alike[0]
        if (named && timed) stamp(named.id)
        e.preventDefault()
        return
      }
      const acts: Record<string, () => void> = {
        s: () => (e.shiftKey ? nudge(-1) : step(-1)), d: () => (e.shiftKey ? nudge(1) : step(1)), w: () => rung(-1), e: () => rung(1),
        ' ': () => setRunning(!running), f: () => timed && next && stamp(next.id), g: () => setNaming(timed),
        a: () => stage === 'split' && takeAll(), m: () => stage === 'watch' && setMirror(!mirror), l: () => setLoop(undefined),
        x: () => here && unstamp(here.id), p: () => document.querySelector<SVGElement>('svg[role=application]')?.focus(), z: () => send({ kind: e.shiftKey ? 'redo' : 'undo' }), '?': () => setHelp(true), escape: () => { setTool(undefined); setPicked(undefined) },
      }
      const i = ['1', '2', '3', '4'].indexOf(k)
      const act = i >= 0 ? () => choosePass(i) : acts[k]
      if (!act || (k === ' ' && el.closest('button, summary, a, audio, [role=button]'))) return
      e.preventDefault()
      act()
    }
  })
  useEffect(() => {
    const key = (e: KeyboardEvent) => pressed.current?.(e)
    addEventListener('keydown', key)
    return () => removeEventListener('keydown', key)
  }, [])

  if (table.failure && !bench) return <Broken message={table.failure.message} />
  if (!bench || !event || !desk) return <Flex h="100%" align="center" justify="center"><Text role="status" color="soft">Opening the attempt…</Text></Flex>

  const shown = stage === 'measure' ? preview ?? (here ? valuesAt(reading, here.id) : []) : stage === 'judge' || stage === 'assign' ? (reading?.values.filter((v) => v.key === opened) ?? []) : []
  const pencilled = new Set(proposals.map((p) => p.keyId))
  const pinAt = pin && [...marksAt(bench, pin.frame), ...followedAt(bench, paths, pin.frame)].find((m) => m.name === pin.landmark)
  const drawn = stage === 'measure' ? arcs(shown, opened) : shown

  return (
    <Dials reading={reading}>
    <Grid h="100dvh" templateRows="52px minmax(0, 1fr) auto" templateColumns="minmax(0, 1fr)" overflow="hidden">
      <Top desk={desk} stage={stage} saving={table.saving} offline={table.offline} onHelp={setHelp} />
      {table.refusal && (
        <Flex role="alert" position="fixed" top="60px" left="50%" transform="translateX(-50%)" zIndex={5} bg="plum" color="paper" borderRadius="9px" px="14px" py="8px" gap="12px" maxW="720px">
          <Text fontWeight="600">{table.refusal}</Text><chakra.button aria-label="Close" onClick={table.forgive} cursor="pointer">✕</chakra.button>
        </Flex>
      )}
      {ready ? (
        <Grid templateColumns={{ base: '132px minmax(0, 1fr)', lg: '148px minmax(0, 1fr) 328px' }} templateRows={{ base: 'minmax(300px, 3fr) minmax(0, 2fr)', lg: 'minmax(0, 1fr)' }} minH="0">
          <Box minH="0" gridRow={{ base: 'span 2', lg: 'auto' }} display="grid"><Ladder desk={desk} current={inHand(desk, calm, rungChosen, picked).current} next={next?.id} pencilled={pencilled} /></Box>
          <Flex direction="column" minH="0" bg="stage">
            {frames && (
              <Stage desk={desk} clip={clip} frames={frames} frame={frame} arrivals={arrivals} placing={stage === 'measure' && (hand!.needs.length > 0 || hand!.followed.size > 0) && !running} armed={hand!.armed} tool={running ? undefined : tool} onTool={setTool}
                shown={drawn} trails={stage === 'measure' ? trails : 'none'} onPreview={setPreview} caption={here && { name: hand!.rungs.map((k) => k.name).join(', '), sees: here.sees }}
                mirror={mirror && stage === 'watch'} pin={pinAt && carried(paths, pin!.frame, frame, pinAt)}>
                {beside && otherFilm.data && clocks.data?.joined && <Beside bench={bench} other={otherFilm.data} clocks={clocks.data} frame={frame} />}
              </Stage>
            )}
            <ControlBar desk={desk} clip={clip} frame={frame} pass={pass} onPass={choosePass} speed={speed} onSpeed={setSpeed} rhythm={rhythm} onRhythm={() => setRhythm(!rhythm)} loop={loop} onLoop={setLoop} running={running} onRun={() => setRunning(!running)}
              slot={naming && <Text role="status" color="chalk" whiteSpace="normal" lineHeight="1.3">Stamp which? {event.keys.filter((k, i) => event.keys.findIndex((x) => x.letter === k.letter) === i).map((k) => `${k.letter.toUpperCase()} ${k.name}`).join(' · ')}</Text>} />
          </Flex>
          <Side desk={desk} clip={clip} stage={timed ? stage : 'watch'} title={titles[stage]} frame={calm} rungChosen={rungChosen} picked={picked} pass={pass} tool={tool} preview={preview} opened={opened} trails={trails} onTrails={setTrails}
            more={{ proposals, found: found.data, onAll: takeAll, onLoop: loopOf, mirror, onMirror: () => setMirror(!mirror), pin, onPin: setPin, clocks: clocks.data, beside, onBeside: () => setBeside(!beside), siblings: siblings.data?.filter((c) => c.id !== id && Object.keys(c.stamps).length > 1) ?? [], second, onSecond: setSecond }}
            onStamp={stamp} onUnstamp={unstamp} onTool={setTool} onPick={setPicked} onRung={rung} onChange={table.reload} />
        </Grid>
      ) : (
        <Grid templateColumns="minmax(0, 1fr) 328px" minH="0">
          <AddClip attempt={id} clip={clip} onChange={table.reload} />
          <Box bg="raised" borderLeftWidth="1px" borderColor="hair" p="14px">{bench.other?.second && <Box mb="14px"><Text fontWeight="700" fontSize="16px" mb="6px">A second film of the same attempt</Text><Hint>Filmed from another side at the same time. It is stamped and placed like the first.</Hint><Link to={`/attempts/${bench.other.id}/measure`} style={{ textDecoration: 'underline', lineHeight: '40px' }}>Back to the first film</Link><TakeOff bench={bench} onChange={table.reload} /></Box>}
            <Text fontWeight="700" fontSize="16px" mb="6px">First, the film</Text><Hint>Then the four passes: once at real speed, once slow, picture by picture, slow again. Numbers come after that.</Hint></Box>
        </Grid>
      )}
      {timed ? <Score desk={desk} clip={clip} frame={frame} proposals={proposals} loop={loop} voice={voice} onFrame={go} onStamp={(place, to) => { send({ kind: 'stamp', keyId: place, frame: to }); setChosen(place) }} onLoop={setLoop} /> : <Box h={ready ? '60px' : 0} p={ready ? '18px' : 0} color="soft">{ready && 'The score appears once the capture rate is known: say it at the right.'}</Box>}
      <KeyCard event={event} open={help} onClose={() => setHelp(false)} />
      {table.clash && <Clash what={table.clash.mine.kind} onSettle={table.settle} />}
    </Grid>
    </Dials>
  )
})

/** On the picture: the value that is opened, else the angles of this key position. */
function arcs(values: Judged[], opened?: string): Judged[] {
  const one = values.filter((v) => v.key === opened)
  return one.length ? one : values.filter((v) => known(v) && v.drawings.some((d) => d.kind === 'arc'))
}

/** Which stages have what the next one needs. */
function progress({ bench, event }: Desk): Record<StageName, boolean> {
  const timed = !!bench.clip && bench.clip.captureRate > 0
  return {
    watch: timed,
    split: event.keys.every((k) => k.optional || bench.stamps[k.id] !== undefined),
    measure: bench.landmarks.length > 0 && !!bench.calibration.scale,
    judge: bench.focuses.length > 0,
    assign: bench.focuses.length > 0 && bench.focuses.every((f) => bench.assignments.some((a) => a.fault === f.fault)),
  }
}

type Hold = { frame: number; name: string }

/** What the stages Watch and Split need besides. */
type More = {
  proposals: Schemas['Proposal'][]; found?: Schemas['Proposals']; onAll: () => void; onLoop: (from: string, to: string, name: string) => void; mirror: boolean; onMirror: () => void
  pin?: Pinned; onPin: (p: Pinned | undefined) => void; clocks?: Schemas['Clocks']; beside: boolean; onBeside: () => void
  siblings: Schemas['Candidate'][]; second?: string; onSecond: (id: string | undefined) => void
}

/** What belongs to the stage, beside the picture. */
const Side = memo(function Side({ desk, clip, stage, title, frame, rungChosen, picked, pass, tool, preview, opened, trails, onTrails, more, onStamp, onUnstamp, onTool, onPick, onRung, onChange }: {
  desk: Desk; clip: Clip; stage: StageName; title: string; frame: number; rungChosen?: string; picked?: Hold; pass: number; tool?: Tool; preview?: Judged[]; opened?: string; trails: Trails; onTrails: (t: Trails) => void; more: More
  onStamp: (place: string) => void; onUnstamp: (place: string) => void; onTool: (t: Tool | undefined) => void; onPick: (p: Hold) => void; onRung: (by: number) => void; onChange: () => void
}) {
  const nav = useNavigate()
  const { rungs, here, next, needs, placed, followed, armed } = inHand(desk, frame, rungChosen, picked)
  return (
    <Box as="aside" aria-label={title} bg="raised" borderLeftWidth="1px" borderColor="hair" p="12px 14px" overflowY="auto" css={{ scrollbarWidth: 'thin' }}>
      {stage === 'watch' ? <Watch desk={desk} pass={pass} mirror={more.mirror} onMirror={more.onMirror}><Pin desk={desk} frame={frame} pin={more.pin} onPin={more.onPin} /><Film desk={desk} clip={clip} frame={frame} tool={tool} onTool={onTool} onChange={onChange} /></Watch>
        : stage === 'split' ? <Split desk={desk} frame={frame} next={next} current={here} onStamp={onStamp} onUnstamp={onUnstamp} onLoop={more.onLoop}>
            <Proposals desk={desk} proposals={more.proposals} lacks={next ? more.found?.lacks : undefined} rejected={more.found?.rejected ?? []} onAll={more.onAll} />
            {more.clocks && <Clocks desk={desk} clocks={more.clocks} beside={more.beside} onBeside={more.onBeside} />}
            {more.siblings.length > 0 && <Second siblings={more.siblings} second={more.second} onSecond={more.onSecond} />}
          </Split>
        : stage === 'measure' ? <Measure desk={desk} frame={frame} rungs={rungs} needs={needs} placed={placed} followed={followed} armed={armed} onArm={(name) => onPick({ frame, name })} tool={tool} onTool={onTool} preview={preview} onNextRung={() => onRung(1)}>
            <Follow key="follow" desk={desk} frame={frame} trails={trails} onTrails={onTrails} onChange={onChange} />
            <Space key="space" desk={desk} frame={frame} tool={tool} onTool={onTool} onChange={onChange} />
          </Measure>
        : stage === 'judge' ? <Judge desk={desk} opened={opened} />
        : <Assign desk={desk} onJudge={() => nav(`/attempts/${desk.bench.id}/judge`)} />}
    </Box>
  )
})

/** Another attempt of the athlete as the score's second voice. */
function Second({ siblings, second, onSecond }: { siblings: Schemas['Candidate'][]; second?: string; onSecond: (id: string | undefined) => void }) {
  return (
    <NativeSelect.Root size="sm" mb="12px">
      <NativeSelect.Field aria-label="Second voice of the score" bg="paper" borderColor="hair" h="36px" value={second ?? ''} onChange={(e) => onSecond(e.currentTarget.value || undefined)}>
        <option value="">one voice on the score</option>
        {siblings.map((c) => <option key={c.id} value={c.id}>with no. {c.number}, {c.day}</option>)}
      </NativeSelect.Field>
      <NativeSelect.Indicator />
    </NativeSelect.Root>
  )
}

const Top = memo(function Top({ desk, stage, saving, offline, onHelp }: { desk: Desk; stage: StageName; saving: boolean; offline: boolean; onHelp: (open: boolean) => void }) {
  const { bench, event, send } = desk
  const title = `${event.name.toLowerCase()} ${bench.number} · ${longDay(bench.day)}`, done = progress(desk)
  const small = { h: '36px', minW: '36px', px: '8px', borderRadius: '8px', cursor: 'pointer', fontWeight: 600, _disabled: { opacity: 0.35, cursor: 'default' }, _hover: { bg: 'raised' } } as const
  return (
    <Flex as="header" align="center" gap={{ base: '4px', lg: '12px' }} px={{ base: '8px', lg: '14px' }} borderBottomWidth="1px" borderColor="hair">
      <Link to="/" aria-label="Today"><Box w={{ base: '32px', lg: 'auto' }} overflow="hidden"><Mark size={19} /></Box></Link>
      <Text flex="1" minW="0" truncate><b>{bench.athlete.name}</b> <Text as="span" color="soft">· {title}</Text></Text>
      <Worth desk={desk} />
      <Text role="status" fontSize="12.5px" color={offline ? 'plum' : 'soft'} whiteSpace="nowrap">{offline ? 'No connection: will be sent again' : saving ? 'Saving…' : 'Saved'}</Text>
      <chakra.button {...small} aria-label="Undo" title="Undo (Z)" disabled={!bench.undo} onClick={() => send({ kind: 'undo' })}>↶</chakra.button>
      <chakra.button {...small} aria-label="Redo" title="Redo (Shift Z)" disabled={!bench.redo} onClick={() => send({ kind: 'redo' })}>↷</chakra.button>
      <chakra.button {...small} aria-label="Keys" title="Keys (?)" onClick={() => onHelp(true)}>?</chakra.button>
      <Flex as="nav" aria-label="Stages" gap="2px">
        {stages.map((s) => (
          <Link key={s} to={`/attempts/${bench.id}/${s}`} aria-current={s === stage ? 'page' : undefined} replace style={{ borderRadius: 18 }}>
            <Box px={{ base: '8px', lg: '13px' }} h="36px" lineHeight="36px" borderRadius="full" fontWeight="600" bg={s === stage ? 'ink' : 'transparent'} color={s === stage ? 'paper' : 'ink'} position="relative">
              {titles[s]}
              {done[s] && s !== stage && <Box position="absolute" left="14px" right="14px" bottom="3px" h="2.5px" bg="grass" borderRadius="2px" />}
              {done[s] && <chakra.span srOnly>, done</chakra.span>}
            </Box>
          </Link>
        ))}
      </Flex>
    </Flex>
  )
})

/** The dial that the account reads, so that another one draws anew only what is read off it. */
function Dials({ reading, children }: { reading: Desk['reading']; children: React.ReactNode }) {
  const dial = useDoor().data?.dial ?? 'degrees', dials = reading?.dials
  const value = useMemo(() => ({ dial, dials }), [dial, dials])
  return <DialContext value={value}>{children}</DialContext>
}

function Broken({ message }: { message: string }) {
  return (
    <Flex h="100%" direction="column" align="center" justify="center" gap="12px">
      <Text role="alert" fontWeight="600">This attempt could not be opened: {message}</Text>
      <Link to="/" style={{ textDecoration: 'underline' }}>Back to today</Link>
    </Flex>
  )
}
