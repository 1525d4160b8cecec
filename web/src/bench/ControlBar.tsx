import { Box, Flex, Text, chakra } from '@chakra-ui/react'
import type { Dispatch } from 'react'
import type { Clip, Event } from '../ui/client'
import { seconds } from '../ui/format'
import { passes, speeds, type BenchContext } from './benchModel'
import type { BenchAction, BenchState } from './benchState'

export function Kbd({ children }: { children: React.ReactNode }) {
  return (
    <chakra.kbd
      bg="#2A3640"
      color="chalk"
      borderRadius="4px"
      px="6px"
      py="1px"
      fontSize="11.5px"
      fontFamily="body"
      fontWeight="600"
    >
      {children}
    </chakra.kbd>
  )
}

const stageButton = {
  h: '32px',
  px: '12px',
  borderRadius: 'full',
  fontWeight: 600,
  fontSize: '13px',
  borderWidth: '1px',
  cursor: 'pointer',
} as const

type Props = {
  context: BenchContext
  clip: Clip
  frame: number
  state: BenchState
  dispatch: Dispatch<BenchAction>
  running: boolean
  onRun: () => void
}

/** Where the time and the film's facts stand, under the picture. */
export function ControlBar({ context, clip, frame, state, dispatch, running, onRun }: Props) {
  const { pass } = state
  const t = clip.times?.[frame - clip.first]
  const u = context.reading?.timesU[frame - clip.first]
  const zero = context.reading?.zeroT ?? 0
  return (
    <Box bg="stage" color="chalk" px="14px" py="8px" h="100px" flex="none">
      <Flex align="center" gap="6px" h="44px">
        <chakra.button
          {...stageButton}
          onClick={onRun}
          disabled={!clip.times}
          bg={running ? 'chalk' : 'transparent'}
          color={running ? '#0D141B' : 'chalk'}
          borderColor="#6B7780"
          minW="64px"
        >
          {running ? 'Hold' : 'Run'}
        </chakra.button>
        <Flex role="radiogroup" aria-label="Pass" gap="4px" mr="8px">
          {context.event.watch.map((w, i) => (
            <chakra.button
              key={w.name}
              role="radio"
              aria-checked={pass === i}
              title={passes[i]?.says}
              {...stageButton}
              onClick={() => dispatch({ type: 'pass', pass: i })}
              whiteSpace="nowrap"
              bg={pass === i ? 'chalk' : 'transparent'}
              color={pass === i ? '#0D141B' : '#C9C6BC'}
              borderColor={pass === i ? 'chalk' : '#43505A'}
            >
              {w.name}
              {context.bench.calibration.watched?.includes(w.name) && (
                <>
                  <span aria-hidden> ✓</span>
                  <chakra.span srOnly>, watched</chakra.span>
                </>
              )}
            </chakra.button>
          ))}
        </Flex>
        {t !== undefined && u !== undefined && (
          <Text fontSize="21px" fontWeight="700" whiteSpace="nowrap" aria-label="Time">
            {seconds(t - zero)}
          </Text>
        )}
        <Text fontSize="12.5px" color="#C9C6BC" whiteSpace="nowrap" aria-label="Picture number">
          {u !== undefined && `± ${(2 * u).toFixed(3)} · `}picture {frame} of {clip.pictures}
        </Text>
        <Flex
          flex="1"
          justify="flex-end"
          gap="4px"
          align="center"
          fontSize="12.5px"
          color="#C9C6BC"
          hideBelow="xl"
          whiteSpace="nowrap"
        >
          <Kbd>S</Kbd>
          <Kbd>D</Kbd> picture <Kbd>W</Kbd>
          <Kbd>E</Kbd> rung
        </Flex>
      </Flex>
      <Flex align="center" gap="10px" h="40px" fontSize="12.5px" color="#C9C6BC" overflow="hidden">
        {state.naming ? (
          <Naming event={context.event} />
        ) : (
          <>
            <Speeds state={state} dispatch={dispatch} />
            <Flex
              columnGap="8px"
              wrap="wrap"
              minW="0"
              maxH="36px"
              overflow="hidden"
              fontSize="11.5px"
              lineHeight="1.45"
            >
              <Film context={context} clip={clip} />
            </Flex>
          </>
        )}
      </Flex>
    </Box>
  )
}

/** Which letter stamps which key position. */
function Naming({ event }: { event: Event }) {
  const first = event.keys.filter((k, i) => event.keys.findIndex((x) => x.letter === k.letter) === i)
  return (
    <Text role="status" color="chalk" whiteSpace="normal" lineHeight="1.3">
      Stamp which? {first.map((k) => `${k.letter.toUpperCase()} ${k.name}`).join(' · ')}
    </Text>
  )
}

/** At what speed the film runs, whether contacts are heard, and what is run through again and again. */
function Speeds({ state, dispatch }: Pick<Props, 'state' | 'dispatch'>) {
  return (
    <>
      <Flex role="radiogroup" aria-label="Speed" gap="2px" flex="none">
        {speeds.map(([s, name]) => (
          <chakra.button
            key={name}
            role="radio"
            aria-checked={state.speed === s}
            aria-label={`speed ${name}`}
            onClick={() => dispatch({ type: 'set', to: { speed: s } })}
            h="28px"
            minW="28px"
            px="6px"
            borderRadius="7px"
            fontWeight="600"
            cursor="pointer"
            bg={state.speed === s ? '#2A3640' : 'transparent'}
            color={state.speed === s ? 'chalk' : '#C9C6BC'}
          >
            {name}
          </chakra.button>
        ))}
      </Flex>
      <chakra.button
        aria-pressed={state.rhythm}
        onClick={() => dispatch({ type: 'toggle', what: 'rhythm' })}
        title="Click at every contact while the film runs"
        h="28px"
        px="8px"
        borderRadius="7px"
        fontWeight="600"
        cursor="pointer"
        bg={state.rhythm ? '#2A3640' : 'transparent'}
        color={state.rhythm ? 'chalk' : '#C9C6BC'}
        flex="none"
      >
        ♪ rhythm
      </chakra.button>
      {state.loop && (
        <chakra.button
          onClick={() => dispatch({ type: 'set', to: { loop: undefined } })}
          title="Leave the loop"
          h="28px"
          px="8px"
          borderRadius="7px"
          fontWeight="600"
          cursor="pointer"
          bg="#2A3640"
          color="chalk"
          flex="none"
          maxW="150px"
          truncate
        >
          ↻ {state.loop.name} ✕
        </chakra.button>
      )}
    </>
  )
}

export const sources: Record<Clip['rateSource'], string> = {
  tag: 'from its tag',
  file: 'as the file says',
  chosen: 'chosen by you',
  interval: 'measured by an interval',
  fall: 'measured by free fall',
  unknown: '',
}

function Film({ context, clip }: { context: BenchContext; clip: Clip }) {
  const { scale, level, origin } = context.bench.calibration
  const known = context.reading?.scale
  const bit = (name: string, value: string) => (
    <span key={name}>
      {name} <b style={{ color: '#E9E2D3' }}>{value}</b>
    </span>
  )
  return (
    <>
      {bit(
        'filmed',
        clip.captureRate
          ? `${clip.captureRate.toFixed(0)}${clip.rateU ? ` ± ${(2 * clip.rateU).toFixed(1)}` : ''} pictures/s`
          : 'at an unknown rate',
      )}{' '}
      {sources[clip.rateSource]}
      <span>·</span>
      {scale
        ? bit(
            'scale',
            `${scale.what}${known ? `, 1 m = ${known.pxPerM.toFixed(0)} ± ${(2 * known.u).toFixed(0)} px` : ''}`,
          )
        : 'no scale yet'}
      <span>·</span>
      {level ? bit('level', level.vertical ? 'by a vertical' : 'by a horizontal') : 'level as filmed'}
      <span>·</span>
      {context.event.line && (
        <>
          {origin ? bit(context.event.line, 'marked') : `${context.event.line} not marked`}
          <span>·</span>
        </>
      )}
      <span>shown ± is 2 u</span>
    </>
  )
}
