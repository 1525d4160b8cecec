import { Box, Text, chakra } from '@chakra-ui/react'
import { memo, useEffect, useRef } from 'react'
import { KeyPoseIcon } from './KeyPoseIcon'
import { AttemptPicture } from '../ui/AttemptPicture'
import { worstVerdict, Shape } from '../ui/Verdict'
import { seconds } from '../ui/format'
import { decoding, frameUrl } from './frames'
import { nearestMarks, notInFilm, valuesAt, type BenchContext } from './benchModel'

const thumb = 30 // px on the screen

/** A small picture of the athlete at a key position, cut round the landmarks nearest in time, where there are any. */
function Thumb({ context, frame }: { context: BenchContext; frame: number }) {
  const clip = context.bench.clip!
  const { width, height } = clip
  const marks = nearestMarks(context.bench, frame)
  const xs = marks.map((m) => m.x),
    ys = marks.map((m) => m.y)
  const side =
    marks.length > 1
      ? 1.3 * Math.max(Math.max(...xs) - Math.min(...xs), Math.max(...ys) - Math.min(...ys), height / 6)
      : height
  const middle = (v: number[], whole: number) =>
    marks.length > 1 ? (Math.max(...v) + Math.min(...v)) / 2 : whole / 2
  const k = thumb / side
  return (
    <Box
      flex="none"
      aria-hidden
      borderRadius="4px"
      style={{
        width: thumb,
        height: thumb,
        backgroundImage: `url(${frameUrl(clip.id, frame, decoding(clip))})`,
        backgroundSize: `${width * k}px ${height * k}px`,
        backgroundPosition: `${thumb / 2 - middle(xs, width) * k}px ${thumb / 2 - middle(ys, height) * k}px`,
      }}
    />
  )
}

/** The placed figure of a key position on paper, where there is no film. */
function Drawn({ context, keyId }: { context: BenchContext; keyId: string }) {
  const { id, landmarks } = context.bench
  return (
    <Box flex="none" aria-hidden borderRadius="4px" overflow="hidden" w={`${thumb}px`} h={`${thumb}px`}>
      <AttemptPicture attempt={id} filmless landmarks={landmarks.length} keyId={keyId} alt="" none="" />
    </Box>
  )
}

/** The key positions down the left edge; going along it is going through the movement. */
export const Ladder = memo(function Ladder({
  context,
  current,
  next,
  pencilled,
}: {
  context: BenchContext
  current?: string
  next?: string
  pencilled: Set<string>
}) {
  const here = useRef<HTMLButtonElement>(null)
  useEffect(() => {
    here.current?.scrollIntoView({ block: 'nearest' })
  }, [current])
  const { bench, event, reading } = context
  const keyTimes = Object.fromEntries(reading?.keyTimes.map((b) => [b.keyId, b]) ?? [])
  const filmless = !!bench.clip?.filmless
  const placed = new Set(filmless ? bench.landmarks.map((l) => l.frame) : [])
  return (
    <Box
      as="nav"
      aria-label="Key positions"
      overflowY="auto"
      py="2px"
      borderRightWidth="1px"
      borderColor="hair"
      css={{ scrollbarWidth: 'thin' }}
    >
      {event.keys.map((k) => {
        const frame = bench.stamps[k.id]
        const stamped = frame !== undefined
        const on = k.id === current
        const left = notInFilm(bench, k.id)
        const verdict = worstVerdict(valuesAt(reading, k.id).filter((v) => v.band))
        const wrong = reading?.order.some((o) => o.includes(k.name))
        return (
          <chakra.button
            key={k.id}
            ref={on ? here : undefined}
            onClick={() => context.visit(k.id)}
            aria-current={on ? 'step' : undefined}
            title={k.sees}
            aria-label={
              `${k.name}, ${stamped ? `picture ${frame}` : left ? 'not in this film' : 'not stamped'}` +
              `${verdict ? `, ${verdict}` : ''}${wrong ? ', out of order' : ''}`
            }
            display="flex"
            w="100%"
            minH="39px"
            alignItems="center"
            gap="6px"
            pl="8px"
            pr="5px"
            py="2px"
            textAlign="left"
            cursor="pointer"
            position="relative"
            bg={on ? 'raised' : 'transparent'}
            boxShadow={on ? 'inset 3px 0 0 var(--chakra-colors-ink)' : undefined}
            _hover={{ bg: 'raised' }}
          >
            <Shape of={stamped ? (verdict ?? 'no band') : undefined} size={11} />
            <Box flex="1" minW="0" lineHeight="1.15">
              <Text
                fontWeight={on || stamped ? 600 : 400}
                color={stamped || on ? 'ink' : 'soft'}
                lineClamp={stamped ? 1 : 2}
              >
                {k.name}
              </Text>
              <Text fontSize="11px" color={wrong ? 'plum' : 'soft'} truncate={!on}>
                {wrong
                  ? 'out of order'
                  : stamped
                    ? keyTimes[k.id]
                      ? `${seconds(keyTimes[k.id].t)} ± ${(2 * keyTimes[k.id].u).toFixed(3)}`
                      : `picture ${frame}`
                    : pencilled.has(k.id)
                      ? 'pencilled in'
                      : left
                        ? 'not in this film'
                        : k.id === next
                          ? 'next: F'
                          : k.optional
                            ? 'optional'
                            : ''}
              </Text>
            </Box>
            {stamped && placed.has(frame) ? (
              <Drawn context={context} keyId={k.id} />
            ) : stamped && !filmless ? (
              <Thumb context={context} frame={frame} />
            ) : (
              <KeyPoseIcon context={context} place={k.id} size={26} />
            )}
          </chakra.button>
        )
      })}
    </Box>
  )
})
