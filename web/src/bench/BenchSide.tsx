import { Box, NativeSelect } from '@chakra-ui/react'
import { memo, type Dispatch } from 'react'
import { useNavigate } from 'react-router'
import type { Clip, Schemas } from '../ui/client'
import { inHand, stageTitles, type BenchContext, type StageName, type Tool } from './benchModel'
import type { BenchAction, BenchState } from './benchState'
import { Assign } from './panels/Assign'
import { Clocks } from './panels/Clocks'
import { Deciding } from './panels/Deciding'
import { Film } from './panels/Film'
import { Follow } from './panels/Follow'
import { Judge } from './panels/Judge'
import { Measure } from './panels/Measure'
import { Proposals } from './panels/Proposals'
import { ReferenceLine } from './panels/ReferenceLine'
import { Space } from './panels/Space'
import { Split } from './panels/Split'
import { Watch } from './panels/Watch'
import type { BenchQueries } from './useBenchQueries'

type Props = {
  context: BenchContext
  clip: Clip
  /** Its name in the bar. */
  stage: StageName
  /** The clip's rate is known; else only Watch makes sense. */
  timed: boolean
  frame: number
  state: BenchState
  dispatch: Dispatch<BenchAction>
  known: BenchQueries
  onStamp: (keyId: string) => void
  onUnstamp: (keyId: string) => void
  onLoop: (from: string, to: string, name: string) => void
  onAll: () => void
  onConfirm: () => void
  onMoveKey: (by: number) => void
  onChange: () => void
}

/** What belongs to the stage, beside the picture. */
export const BenchSide = memo(function BenchSide(props: Props) {
  return (
    <Box
      as="aside"
      aria-label={stageTitles[props.stage]}
      bg="raised"
      borderLeftWidth="1px"
      borderColor="hair"
      p="12px 14px"
      overflowY="auto"
      css={{ scrollbarWidth: 'thin' }}
    >
      <Panel {...props} stage={props.timed ? props.stage : 'watch'} />
    </Box>
  )
})

function Panel({ context, clip, stage, frame, state, dispatch, known, ...on }: Props) {
  const nav = useNavigate()
  const { rungs, here, next, needs, placed, followed, armed } = inHand(context, frame, state.keyId, state.picked)
  const setTool = (tool: Tool | undefined) => dispatch({ type: 'set', to: { tool } })
  switch (stage) {
    case 'watch':
      return (
        <Watch
          context={context}
          pass={state.pass}
          mirror={state.mirror}
          onMirror={() => dispatch({ type: 'toggle', what: 'mirror' })}
        >
          <ReferenceLine
            context={context}
            frame={frame}
            pin={state.reference}
            onPin={(reference) => dispatch({ type: 'set', to: { reference } })}
          />
          <Film
            context={context}
            clip={clip}
            frame={frame}
            tool={state.tool}
            onTool={setTool}
            onChange={on.onChange}
          />
        </Watch>
      )
    case 'split':
      return (
        <Split
          context={context}
          frame={frame}
          next={next}
          current={here}
          onStamp={on.onStamp}
          onUnstamp={on.onUnstamp}
          onLoop={on.onLoop}
        >
          <Proposals
            context={context}
            proposals={known.proposals}
            lacks={next ? known.found?.lacks : undefined}
            rejected={known.found?.rejected ?? []}
            onAll={on.onAll}
          />
          <Follow
            finding
            context={context}
            frame={frame}
            trails={state.trails}
            onTrails={(trails) => dispatch({ type: 'set', to: { trails } })}
          />
          {known.clocks && (
            <Clocks
              context={context}
              clocks={known.clocks}
              beside={state.secondView}
              onBeside={() => dispatch({ type: 'toggle', what: 'secondView' })}
            />
          )}
          {known.siblings.length > 0 && (
            <SecondVoice
              siblings={known.siblings}
              value={state.secondVoice}
              onChange={(secondVoice) => dispatch({ type: 'set', to: { secondVoice } })}
            />
          )}
        </Split>
      )
    case 'measure':
      return (
        <Measure
          context={context}
          frame={frame}
          rungs={rungs}
          needs={needs}
          placed={placed}
          followed={followed}
          armed={armed}
          onArm={(name) => dispatch({ type: 'set', to: { picked: { frame, name } } })}
          tool={state.tool}
          onTool={setTool}
          preview={state.preview}
          onNextRung={() => on.onMoveKey(1)}
          first={<Deciding context={context} frame={frame} onConfirm={on.onConfirm} />}
        >
          <Follow
            key="follow"
            context={context}
            frame={frame}
            trails={state.trails}
            onTrails={(trails) => dispatch({ type: 'set', to: { trails } })}
          />
          <Space
            key="space"
            context={context}
            frame={frame}
            tool={state.tool}
            onTool={setTool}
            onBody={() => dispatch({ type: 'set', to: { fittedBody: true } })}
            onChange={on.onChange}
          />
        </Measure>
      )
    case 'judge':
      return <Judge context={context} opened={state.opened} />
    case 'assign':
      return <Assign context={context} onJudge={() => nav(`/attempts/${context.bench.id}/judge`)} />
  }
}

/** Another attempt of the athlete as the score's second voice. */
function SecondVoice({
  siblings,
  value,
  onChange,
}: {
  siblings: Schemas['Candidate'][]
  value?: string
  onChange: (id: string | undefined) => void
}) {
  return (
    <NativeSelect.Root size="sm" mb="12px">
      <NativeSelect.Field
        aria-label="Second voice of the score"
        bg="paper"
        borderColor="hair"
        h="36px"
        value={value ?? ''}
        onChange={(e) => onChange(e.currentTarget.value || undefined)}
      >
        <option value="">one voice on the score</option>
        {siblings.map((c) => (
          <option key={c.id} value={c.id}>
            with no. {c.number}, {c.day}
          </option>
        ))}
      </NativeSelect.Field>
      <NativeSelect.Indicator />
    </NativeSelect.Root>
  )
}
