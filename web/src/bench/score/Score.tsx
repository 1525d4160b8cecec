import { Box, chakra } from '@chakra-ui/react'
import { useState, type KeyboardEvent, type PointerEvent } from 'react'
import type { Clip, Reading } from '../../ui/client'
import type { BenchContext } from '../benchModel'
import type { Proposal } from '../../ui/client'
import type { Loop } from '../usePlayer'
import { col, left, ms, right, rows } from './layout'
import { ScoreSheet } from './ScoreSheet'
import { useScoreView, type ScoreView } from './useScoreView'

type Props = {
  context: BenchContext
  clip: Clip
  frame: number
  proposals: Proposal[]
  loop?: Loop
  /** Another attempt whose contacts are drawn hollow. */
  voice?: { name: string; reading: Reading }
  onFrame: (f: number) => void
  onStamp: (keyId: string, frame: number) => void
  onLoop: (l: Loop | undefined) => void
}

/** Two staff lines, one per foot: a contact is a held note, a flight a rest. It is the time control too. */
export function Score({ context, clip, frame, proposals, loop, voice, onFrame, onStamp, onLoop }: Props) {
  const view = useScoreView(context, clip)
  const { width, times, zero, x, timeAt, pictureAt } = view
  const [held, setHeld] = useState<string>() // the stamp that is dragged

  const scrub = (e: PointerEvent) => {
    if (!view.pinching.current && e.buttons & 1) onFrame(pictureAt(timeAt(e.clientX)))
  }
  const down = (e: PointerEvent<SVGSVGElement>) => {
    e.currentTarget.setPointerCapture(e.pointerId)
    const edge = (e.target as SVGElement).dataset.edge
    if (edge) setHeld(edge)
    else scrub(e)
  }
  const up = (e: PointerEvent) => {
    if (held) onStamp(held, pictureAt(timeAt(e.clientX)))
    setHeld(undefined)
  }
  const again = (id: string | undefined) => {
    const p = context.reading?.phases.find((x) => x.id === id)
    if (!p) return
    const same = loop?.name === p.name
    onLoop(same ? undefined : { from: pictureAt(p.from), to: pictureAt(p.to), name: p.name })
  }
  const key = (e: KeyboardEvent) => {
    const last = clip.first + clip.frames - 1
    const steps: Record<string, number> = {
      ArrowLeft: frame - 1,
      ArrowRight: frame + 1,
      PageUp: frame - 10,
      PageDown: frame + 10,
      Home: clip.first,
      End: last,
    }
    if (steps[e.key] === undefined) return
    e.preventDefault()
    onFrame(steps[e.key])
  }

  const timeOf = (n: number) => times[Math.min(times.length - 1, Math.max(0, n - clip.first))] - zero
  const now = timeOf(frame)
  const inView = now >= view.from && now <= view.to
  return (
    <Box
      ref={view.box}
      position="relative"
      h="196px"
      borderTopWidth="1px"
      borderColor="hair"
      bg="paper"
      userSelect="none"
      overflow="hidden"
    >
      <svg
        width={width}
        height={196}
        role="slider"
        tabIndex={0}
        aria-label="Footfall score, time"
        aria-valuemin={clip.first}
        aria-valuemax={clip.first + clip.frames - 1}
        aria-valuenow={frame}
        aria-valuetext={`${ms(now)} ms, picture ${frame}`}
        style={{ touchAction: 'none', cursor: 'ew-resize', display: 'block' }}
        onPointerDown={down}
        onPointerMove={scrub}
        onPointerUp={up}
        onPointerCancel={up}
        onDoubleClick={(e) => again((e.target as SVGElement).dataset.phase)}
        onKeyDown={key}
      >
        <RowNames feet={context.bench.feet} width={width} voice={voice?.name} />
        <clipPath id="staff">
          <rect x={left - 8} y={0} width={width - left - right + 20} height={196} />
        </clipPath>
        <g clipPath="url(#staff)">
          <g transform={view.transform}>
            <ScoreSheet
              context={context}
              {...view.drawn}
              width={width}
              proposals={proposals}
              zero={zero}
              voice={voice}
              held={held}
            />
          </g>
        </g>
        {loop && (
          <path
            d={`M${x(timeOf(loop.from))} 170v10H${x(timeOf(loop.to))}v-10`}
            fill="none"
            stroke={col('ink')}
            strokeWidth={2}
            pointerEvents="none"
          />
        )}
        {inView && (
          <g stroke={col('ink')} pointerEvents="none">
            <line x1={x(now)} x2={x(now)} y1={34} y2={178} strokeWidth={1.6} />
            <path d={`M${x(now) - 5} 34h10l-5 7z`} fill={col('ink')} stroke="none" />
          </g>
        )}
      </svg>
      <ZoomButtons view={view} />
    </Box>
  )
}

/** What each row of the score holds. */
function RowNames({ feet, width, voice }: { feet: string[]; width: number; voice?: string }) {
  return (
    <>
      <g fill={col('soft')} style={{ fontSize: 12.5 }}>
        <text x={14} y={rows.keys + 4}>
          key positions
        </text>
        <text x={14} y={rows.phases + 9}>
          phases, ms
        </text>
        <text x={width - 16} y={rows.axis + 4} textAnchor="end">
          ms
        </text>
        {voice && (
          <text x={14} y={rows.flights + 10} style={{ fontSize: 11.5 }}>
            hollow: {voice}
          </text>
        )}
      </g>
      <g style={{ fontWeight: 600, fontSize: 12.5 }}>
        <circle cx={19} cy={rows.front - 4} r={4.5} fill={col('brick')} />
        <text x={30} y={rows.front} fill={col('brick')}>
          {feet[0]}
        </text>
        <rect x={14.5} y={rows.rear - 8.5} width={9} height={9} fill={col('sky')} />
        <text x={30} y={rows.rear} fill={col('sky')}>
          {feet[1]}
        </text>
      </g>
    </>
  )
}

function ZoomButtons({ view }: { view: ScoreView }) {
  const button = { color: 'sky', cursor: 'pointer', fontWeight: 600, fontSize: '12px' } as const
  const sign = { ...button, fontWeight: 700, fontSize: undefined, minW: '24px' } as const
  return (
    <Box position="absolute" left="12px" bottom="8px" display="flex" gap="6px">
      <chakra.button
        {...sign}
        aria-label="Score closer"
        title="Closer (wheel, or two fingers)"
        onClick={() => view.zoomMiddle(0.6)}
      >
        +
      </chakra.button>
      <chakra.button {...sign} aria-label="Score farther" title="Farther" onClick={() => view.zoomMiddle(1 / 0.6)}>
        −
      </chakra.button>
      {view.zoomed && (
        <chakra.button {...button} onClick={view.showStamps}>
          fit stamps
        </chakra.button>
      )}
      {!view.zoomed && view.stamped && (
        <chakra.button {...button} onClick={view.showAll}>
          whole film
        </chakra.button>
      )}
    </Box>
  )
}
