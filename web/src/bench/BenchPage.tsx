import { Box, Flex, Grid, Text, chakra } from '@chakra-ui/react'
import { lazy, memo, Suspense, useCallback, useDeferredValue, useEffect, useMemo, useRef } from 'react'
import { Link, useParams } from 'react-router'
import type { Bench, Event } from '../ui/client'
import { DialContext } from '../ui/dial'
import { Hint } from '../ui/Panel'
import { useSession } from '../ui/session'
import { AddClip } from './AddClip'
import { BenchHeader } from './BenchHeader'
import {
  arcs,
  carried,
  confirmation,
  rungsAt,
  stamping,
  taking,
  followedAt,
  foundOn,
  inHand,
  marksAt,
  nextToConfirm,
  stages,
  valuesAt,
  type BenchContext,
  type StageName,
} from './benchModel'
import { BenchSide } from './BenchSide'
import { useBenchState } from './benchState'
import { ConflictDialog } from './ConflictDialog'
import { ControlBar } from './ControlBar'
import { KeyCard } from './KeyCard'
import { Ladder } from './Ladder'
import { TakeOff } from './panels/Space'
import { Score } from './score/Score'
import { SecondView } from './SecondView'
import { Finding } from './stage/Finding'
import { Stage } from './stage/Stage'
import { StageChoice } from './stage/StageChoice'
import { useBench } from './useBench'
import { useBenchKeys } from './useBenchKeys'
import { useBenchQueries, usePlaybook } from './useBenchQueries'
import { useKeyPositions } from './useKeyPositions'
import { isBusy } from './useFilmReading'
import { usePlayer } from './usePlayer'
import { useRhythm } from './useRhythm'
import { useWatched } from './useWatched'

const Fitted = lazy(() => import('./space/FittedStage').then((m) => ({ default: m.FittedStage })))

/** The fitted body; what draws it comes when it is first asked for. */
const FittedStage = (props: React.ComponentProps<typeof Fitted>) => (
  <Suspense fallback={<Box flex="1" bg="stage" />}>
    <Fitted {...props} />
  </Suspense>
)

export function BenchPage() {
  const { id = '', stage: named } = useParams()
  const name = stages.find((s) => s === named) ?? 'watch'
  return <BenchOf key={id} id={id} stage={name} />
}

const BenchOf = memo(function BenchOf({ id, stage }: { id: string; stage: StageName }) {
  const table = useBench(id)
  const { bench, reading, paths, task, send } = table
  const event = usePlaybook(id, bench)
  const clip = bench?.clip
  const [state, dispatch] = useBenchState()
  const player = usePlayer(clip, state.speed, state.loop)
  const { frame, go, running, frames } = player
  useRhythm(state.rhythm, reading, frame, running)
  const calm = useDeferredValue(frame) // what stands beside the picture follows it

  const context = useMemo<BenchContext | undefined>(() => {
    if (!bench || !event) return
    const visit = (keyId: string) => {
      dispatch({ type: 'set', to: { keyId } })
      const at = bench.stamps[keyId]
      if (at !== undefined) go(at)
    }
    const open = (key: string | undefined) => {
      dispatch({ type: 'set', to: { opened: key } })
      const v = reading?.values.find((x) => x.key === key)
      if (v) visit(v.keyId)
    }
    const front = (role: string) => bench.firstLine.includes(role)
    return { bench, event, reading, paths, task, send, go, visit, open, front }
  }, [bench, event, reading, paths, task, send, go, dispatch])

  useFirstPicture(context, stage, !!frames)
  useWatched(context, stage, frame, state.pass)
  const known = useBenchQueries(id, bench, stage, state, table.saving)
  const { proposals, clocks } = known
  const takeAll = useCallback(() => {
    if (proposals.length === 0) return
    send(taking(proposals))
  }, [proposals, send])
  const confirm = useCallback(() => {
    if (!context) return
    const found = foundOn(context.bench, context.paths, player.now.current)
    if (found.length > 0) send(confirmation(found))
    const guessed = rungsAt(context.event, context.bench, player.now.current).filter(
      (k) => context.bench.stampU?.[k.id],
    )
    if (guessed.length > 0) send(stamping(guessed, player.now.current))
    const next = nextToConfirm(context, player.now.current)
    if (next) context.visit(next)
  }, [context, player.now, send])
  const loopOf = useCallback(
    (from: string, to: string, name: string) => {
      const a = bench?.stamps[from]
      const b = bench?.stamps[to]
      if (a !== undefined && b !== undefined) dispatch({ type: 'loop', loop: { from: a, to: b, name } })
    },
    [bench, dispatch],
  )

  const hand = context && inHand(context, frame, state.keyId, state.picked)
  const { here, next } = hand ?? {}
  const ready = clip?.status === 'ready'
  const timed = ready && clip.captureRate > 0 && !!clip.times
  const keys = useKeyPositions({ context, stage, keyId: state.keyId, here, now: player.now, dispatch })
  useBenchKeys({
    context,
    stage,
    state,
    dispatch,
    timed: !!timed,
    here,
    next,
    ...player,
    ...keys,
    takeAll,
    confirm,
  })

  if (table.failure && !bench) return <Broken message={table.failure.message} />
  if (!bench || !event || !context || !hand) return <Opening />

  const fit = reading?.space.fit
  const fitted = !!fit?.made && !fit.stale
  const toPicture = () => dispatch({ type: 'toggle', what: 'fittedBody' })
  const seen = ready && frames && { context, clip, frames, frame, arrivals: player.arrivals }
  const picture =
    seen &&
    (fitted && state.fittedBody ? (
      <FittedStage {...seen} onClose={toPicture} />
    ) : (
      <Stage
        {...seen}
        placing={stage === 'measure' && (hand.needs.length > 0 || hand.followed.size > 0) && !running}
        armed={hand.armed}
        tool={running ? undefined : state.tool}
        onTool={(tool) => dispatch({ type: 'set', to: { tool } })}
        shown={shownValues(context, stage, here?.id, state.preview, state.opened)}
        trails={stage === 'measure' ? state.trails : 'none'}
        onPreview={(preview) => dispatch({ type: 'set', to: { preview } })}
        onPlaced={(name) => name === state.picked?.name && dispatch({ type: 'set', to: { picked: undefined } })}
        caption={here && { name: hand.rungs.map((k) => k.name).join(', '), sees: here.sees }}
        mirror={state.mirror && stage === 'watch'}
        pin={referenceSpot(context, state.reference, frame)}
      >
        {isBusy(task) && <Finding task={task!} />}
        {fitted && <ToBody onClick={toPicture} />}
        {state.secondView && known.other && clocks?.joined && (
          <SecondView bench={bench} other={known.other} clocks={clocks} frame={frame} />
        )}
      </Stage>
    ))
  return (
    <Dials reading={reading}>
      <Grid h="100dvh" templateRows="52px minmax(0, 1fr) auto" templateColumns="minmax(0, 1fr)" overflow="hidden">
        <BenchHeader
          context={context}
          stage={stage}
          saving={table.saving}
          offline={table.offline}
          onHelp={(help) => dispatch({ type: 'set', to: { help } })}
        />
        {table.refusal && <Refusal says={table.refusal} onClose={table.forgive} />}
        {ready ? (
          <Grid
            templateColumns={{ base: '132px minmax(0, 1fr)', lg: '148px minmax(0, 1fr) 328px' }}
            templateRows={{ base: 'minmax(300px, 3fr) minmax(0, 2fr)', lg: 'minmax(0, 1fr)' }}
            minH="0"
          >
            <Box minH="0" gridRow={{ base: 'span 2', lg: 'auto' }} display="grid">
              <Ladder
                context={context}
                current={inHand(context, calm, state.keyId, state.picked).current}
                next={next?.id}
                pencilled={new Set(proposals.map((p) => p.keyId))}
              />
            </Box>
            <Flex direction="column" minH="0" bg="stage">
              {picture}
              <ControlBar
                context={context}
                clip={clip}
                frame={frame}
                state={state}
                dispatch={dispatch}
                running={running}
                onRun={() => player.setRunning(!running)}
              />
            </Flex>
            <BenchSide
              context={context}
              clip={clip}
              stage={stage}
              timed={!!timed}
              frame={calm}
              state={state}
              dispatch={dispatch}
              known={known}
              onStamp={keys.stamp}
              onUnstamp={keys.unstamp}
              onLoop={loopOf}
              onAll={takeAll}
              onConfirm={confirm}
              onMoveKey={keys.moveKey}
              onChange={table.reload}
            />
          </Grid>
        ) : (
          <NoFilm bench={bench} event={event} onChange={table.reload} />
        )}
        {timed ? (
          <Score
            context={context}
            clip={clip}
            frame={frame}
            proposals={proposals}
            loop={state.loop}
            voice={known.voice}
            onFrame={go}
            onStamp={keys.stampAt}
            onLoop={(loop) => dispatch({ type: 'set', to: { loop } })}
          />
        ) : (
          <Box h={ready ? '60px' : 0} p={ready ? '18px' : 0} color="soft">
            {ready && 'The score appears once the capture rate is known: say it at the right.'}
          </Box>
        )}
        <KeyCard event={event} open={state.help} onClose={() => dispatch({ type: 'set', to: { help: false } })} />
        {table.clash && <ConflictDialog what={table.clash.mine.kind} onSettle={table.settle} />}
      </Grid>
    </Dials>
  )
})

/** Opens the attempt at the picture where its work goes on. */
function useFirstPicture(context: BenchContext | undefined, stage: StageName, loaded: boolean) {
  const began = useRef(false)
  useEffect(() => {
    if (began.current || !context || !loaded) return
    began.current = true
    const { bench, event, go } = context
    const focus = event.faults.find((x) => x.id === bench.focuses[0]?.fault)
    const atFocus = (stage === 'judge' || stage === 'assign') && focus ? bench.stamps[focus.at] : undefined
    const open = event.keys.find((k) => bench.stamps[k.id] !== undefined)
    go(atFocus ?? (stage === 'watch' || !open ? (bench.clip?.first ?? 0) : bench.stamps[open.id]))
  }, [context, stage, loaded])
}

/** The values whose drawing is on the picture. */
function shownValues(
  { reading }: BenchContext,
  stage: StageName,
  keyId: string | undefined,
  preview: ReturnType<typeof valuesAt> | undefined,
  opened: string | undefined,
) {
  if (stage === 'measure') return arcs(preview ?? (keyId ? valuesAt(reading, keyId) : []), opened)
  if (stage === 'judge' || stage === 'assign') return reading?.values.filter((v) => v.key === opened) ?? []
  return []
}

/** Where the spot that is kept in sight lies on a picture. */
function referenceSpot(
  { bench, paths }: BenchContext,
  reference: { landmark: string; frame: number } | undefined,
  frame: number,
) {
  if (!reference) return
  const marks = [...marksAt(bench, reference.frame), ...followedAt(bench, paths, reference.frame)]
  const at = marks.find((m) => m.name === reference.landmark)
  return at && carried(paths, reference.frame, frame, at)
}

/** The dial that the account reads, so that another one draws anew only what is read off it. */
function Dials({ reading, children }: { reading: BenchContext['reading']; children: React.ReactNode }) {
  const dial = useSession().data?.dial ?? 'degrees'
  const dials = reading?.dials
  const value = useMemo(() => ({ dial, dials }), [dial, dials])
  return <DialContext value={value}>{children}</DialContext>
}

/** To the body that was fitted to the film. */
const ToBody = ({ onClick }: { onClick: () => void }) => (
  <Box position="absolute" top="12px" right="12px">
    <StageChoice title="The body that was fitted to this film (B)" onClick={onClick}>
      Body
    </StageChoice>
  </Box>
)

/** Why the last change was not taken. */
function Refusal({ says, onClose }: { says: string; onClose: () => void }) {
  return (
    <Flex
      role="alert"
      position="fixed"
      top="60px"
      left="50%"
      transform="translateX(-50%)"
      zIndex={5}
      bg="plum"
      color="paper"
      borderRadius="9px"
      px="14px"
      py="8px"
      gap="12px"
      maxW="720px"
    >
      <Text fontWeight="600">{says}</Text>
      <chakra.button aria-label="Close" onClick={onClose} cursor="pointer">
        ✕
      </chakra.button>
    </Flex>
  )
}

/** An attempt without a film that can be shown. */
function NoFilm({ bench, event, onChange }: { bench: Bench; event: Event; onChange: () => void }) {
  return (
    <Grid templateColumns="minmax(0, 1fr) 328px" minH="0">
      <AddClip attempt={bench.id} event={event} feet={bench.feet} clip={bench.clip} onChange={onChange} />
      <Box bg="raised" borderLeftWidth="1px" borderColor="hair" p="14px">
        {bench.other?.second && (
          <Box mb="14px">
            <Text fontWeight="700" fontSize="16px" mb="6px">
              A second film of the same attempt
            </Text>
            <Hint>Filmed from another side at the same time. It is stamped and placed like the first.</Hint>
            <Link
              to={`/attempts/${bench.other.id}/measure`}
              style={{ textDecoration: 'underline', lineHeight: '40px' }}
            >
              Back to the first film
            </Link>
            <TakeOff bench={bench} onChange={onChange} />
          </Box>
        )}
        <Text fontWeight="700" fontSize="16px" mb="6px">
          First, the film
        </Text>
        <Hint>
          Then the four passes: once at real speed, once slow, picture by picture, slow again. Numbers come after
          that.
        </Hint>
      </Box>
    </Grid>
  )
}

function Opening() {
  return (
    <Flex h="100%" align="center" justify="center">
      <Text role="status" color="soft">
        Opening the attempt…
      </Text>
    </Flex>
  )
}

function Broken({ message }: { message: string }) {
  return (
    <Flex h="100%" direction="column" align="center" justify="center" gap="12px">
      <Text role="alert" fontWeight="600">
        This attempt could not be opened: {message}
      </Text>
      <Link to="/" style={{ textDecoration: 'underline' }}>
        Back to today
      </Link>
    </Flex>
  )
}
