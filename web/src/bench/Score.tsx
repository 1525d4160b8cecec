import { Box, chakra } from '@chakra-ui/react'
import { memo, useEffect, useLayoutEffect, useMemo, useRef, useState, type PointerEvent } from 'react'
import type { Clip, Reading } from '../ui/client'
import type { BenchContext } from './benchModel'
import { keyName } from './benchModel'
import type { Proposal } from './panels/Proposals'
import type { Loop } from './usePlayer'

const left = 132
const right = 18
const rows = { keys: 16, phases: 50, front: 98, rear: 130, rests: 152, axis: 186 }
const rests = 120 // ms after which a zoom rests
const ms = (s: number) => (1000 * s).toFixed(0)

/** Two staff lines, one per foot: a contact is a held note, a flight a rest. It is the time control too. */
export function Score({
  context,
  clip,
  frame,
  proposals,
  loop,
  voice,
  onFrame,
  onStamp,
  onLoop,
}: {
  context: BenchContext
  clip: Clip
  frame: number
  proposals: Proposal[]
  loop?: Loop
  voice?: { name: string; reading: Reading }
  onFrame: (f: number) => void
  onStamp: (place: string, frame: number) => void
  onLoop: (l: Loop | undefined) => void
}) {
  const box = useRef<HTMLDivElement>(null)
  const [width, setWidth] = useState(1280)
  const times = clip.times!
  const zero = context.reading?.zeroT ?? 0
  const whole: [number, number] = [times[0] - zero, times[times.length - 1] - zero]
  const [view, setView] = useState<[number, number]>()

  useLayoutEffect(() => {
    const watch = new ResizeObserver(() => setWidth(box.current!.clientWidth))
    watch.observe(box.current!)
    return () => watch.disconnect()
  }, [])

  const beats = context.reading?.beats ?? []
  const fitted = useMemo<[number, number]>(() => {
    if (beats.length < 2 || context.event.keys.some((k) => !k.optional && context.bench.stamps[k.id] === undefined))
      return whole // the rest is still to be found
    const t = beats.map((b) => b.t)
    return [Math.max(whole[0], Math.min(...t) - 0.08), Math.min(whole[1], Math.max(...t) + 0.08)]
  }, [beats, context, whole[0], whole[1]])
  const shown = view ?? fitted
  const [from, to] = shown
  // A sheet with hundreds of stamps is drawn anew once the zoom rests; until then it is stretched to where it belongs.
  const [[drawnFrom, drawnTo], setDrawn] = useState(shown)
  useEffect(() => {
    const soon = setTimeout(() => setDrawn(shown), rests)
    return () => clearTimeout(soon)
  }, [shown])
  const stretch = (drawnTo - drawnFrom) / (to - from)
  const shift = left * (1 - stretch) + ((drawnFrom - from) / (to - from)) * (width - left - right)
  const x = (t: number) => left + ((t - from) / (to - from)) * (width - left - right)
  const at = (clientX: number) => {
    const r = box.current!.getBoundingClientRect()
    return from + ((clientX - r.left - left) / (width - left - right)) * (to - from)
  }
  const nearest = (t: number) => {
    let best = 0
    for (let i = 1; i < times.length; i++)
      if (Math.abs(times[i] - zero - t) < Math.abs(times[best] - zero - t)) best = i
    return clip.first + best
  }
  const [held, setHeld] = useState<string>() // the stamp that is dragged
  const fingers = useRef(new Map<number, number>())
  const scrub = (e: PointerEvent) => {
    if (e.pointerType === 'touch' && fingers.current.size > 1) {
      const before = [...fingers.current.values()]
      fingers.current.set(e.pointerId, e.clientX)
      const now = [...fingers.current.values()]
      const spread = (v: number[]) => Math.max(20, Math.abs(v[0] - v[1]))
      zoomBy(spread(before) / spread(now), (now[0] + now[1]) / 2)
    } else if (e.buttons & 1) onFrame(nearest(at(e.clientX)))
  }
  const down = (e: PointerEvent<SVGSVGElement>) => {
    if (e.pointerType === 'touch') fingers.current.set(e.pointerId, e.clientX)
    const target = e.target as SVGElement
    e.currentTarget.setPointerCapture(e.pointerId)
    const edge = target.dataset.edge
    if (edge) {
      setHeld(edge)
      return
    }
    scrub(e)
  }
  const up = (e: PointerEvent) => {
    fingers.current.delete(e.pointerId)
    if (held) onStamp(held, nearest(at(e.clientX)))
    setHeld(undefined)
  }
  const again = (id: string) => {
    const p = context.reading?.phases.find((x) => x.id === id)
    if (p) onLoop(loop?.name === p.name ? undefined : { from: nearest(p.from), to: nearest(p.to), name: p.name })
  }
  const zoomBy = (k: number, clientX: number) => {
    const t = at(clientX)
    const span = Math.min(whole[1] - whole[0], Math.max(0.06, (to - from) * k))
    const a = Math.min(whole[1] - span, Math.max(whole[0], t - ((t - from) / (to - from)) * span))
    setView([a, a + span])
  }
  const middle = () => box.current!.getBoundingClientRect().left + (left + width) / 2

  useEffect(() => {
    const el = box.current!
    const wheel = (e: WheelEvent) => {
      e.preventDefault()
      zoomBy(Math.exp(e.deltaY * 0.0015), e.clientX)
    }
    el.addEventListener('wheel', wheel, { passive: false })
    return () => el.removeEventListener('wheel', wheel)
  })

  const now = times[Math.min(times.length - 1, Math.max(0, frame - clip.first))] - zero
  const inView = now >= from && now <= to
  return (
    <Box
      ref={box}
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
        onDoubleClick={(e) => {
          const id = (e.target as SVGElement).dataset.phase
          if (id) again(id)
        }}
        onKeyDown={(e) => {
          const to = {
            ArrowLeft: frame - 1,
            ArrowRight: frame + 1,
            PageUp: frame - 10,
            PageDown: frame + 10,
            Home: clip.first,
            End: clip.first + clip.frames - 1,
          }[e.key]
          if (to === undefined) return
          e.preventDefault()
          onFrame(to)
        }}
      >
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
            <text x={14} y={rows.rests + 10} style={{ fontSize: 11.5 }}>
              hollow: {voice.name}
            </text>
          )}
        </g>
        <g style={{ fontWeight: 600, fontSize: 12.5 }}>
          <circle cx={19} cy={rows.front - 4} r={4.5} fill={col('brick')} />
          <text x={30} y={rows.front} fill={col('brick')}>
            {context.bench.feet[0]}
          </text>
          <rect x={14.5} y={rows.rear - 8.5} width={9} height={9} fill={col('sky')} />
          <text x={30} y={rows.rear} fill={col('sky')}>
            {context.bench.feet[1]}
          </text>
        </g>
        <clipPath id="staff">
          <rect x={left - 8} y={0} width={width - left - right + 20} height={196} />
        </clipPath>
        <g clipPath="url(#staff)">
          <g transform={stretch === 1 && shift === 0 ? undefined : `translate(${shift} 0) scale(${stretch} 1)`}>
            <Sheet
              context={context}
              from={drawnFrom}
              to={drawnTo}
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
            d={`M${x(times[loop.from - clip.first] - zero)} 170v10H${x(times[loop.to - clip.first] - zero)}v-10`}
            fill="none"
            stroke={col('ink')}
            strokeWidth={2}
            pointerEvents="none"
          />
        )}
        {inView && (
          <g stroke="var(--chakra-colors-ink)" pointerEvents="none">
            <line x1={x(now)} x2={x(now)} y1={34} y2={178} strokeWidth={1.6} />
            <path d={`M${x(now) - 5} 34h10l-5 7z`} fill="var(--chakra-colors-ink)" stroke="none" />
          </g>
        )}
      </svg>
      <Box position="absolute" left="12px" bottom="8px" display="flex" gap="6px">
        <chakra.button
          aria-label="Score closer"
          title="Closer (wheel, or two fingers)"
          fontWeight="700"
          minW="24px"
          color="sky"
          cursor="pointer"
          onClick={() => zoomBy(0.6, middle())}
        >
          +
        </chakra.button>
        <chakra.button
          aria-label="Score farther"
          title="Farther"
          fontWeight="700"
          minW="24px"
          color="sky"
          cursor="pointer"
          onClick={() => zoomBy(1 / 0.6, middle())}
        >
          −
        </chakra.button>
        {view && (
          <chakra.button
            fontSize="12px"
            fontWeight="600"
            color="sky"
            cursor="pointer"
            onClick={() => setView(undefined)}
          >
            fit stamps
          </chakra.button>
        )}
        {!view && beats.length > 1 && (
          <chakra.button
            fontSize="12px"
            fontWeight="600"
            color="sky"
            cursor="pointer"
            onClick={() => setView(whole)}
          >
            whole film
          </chakra.button>
        )}
      </Box>
    </Box>
  )
}

const col = (c: string) => `var(--chakra-colors-${c})`

const Sheet = memo(function Sheet({
  context,
  from,
  to,
  width,
  proposals,
  zero,
  voice,
  held,
}: {
  context: BenchContext
  from: number
  to: number
  width: number
  proposals: Proposal[]
  zero: number
  voice?: { name: string; reading: Reading }
  held?: string
}) {
  const { reading, event } = context
  const x = (t: number) => left + ((t - from) / (to - from)) * (width - left - right)
  const clip = (t: number) => Math.min(to, Math.max(from, t))
  const step = [0.01, 0.02, 0.05, 0.1, 0.2, 0.5, 1, 2, 5].find((s) => (to - from) / s < 14) ?? 10
  const ticks = Array.from(
    { length: Math.floor(to / step) - Math.ceil(from / step) + 1 },
    (_, i) => (Math.ceil(from / step) + i) * step,
  )
  const ends = [-Infinity, -Infinity]
  return (
    <g fill={col('ink')} style={{ fontSize: 12.5 }}>
      {ticks
        .filter((t) => x(t) < width - 44)
        .map((t) => (
          <g key={t}>
            <line x1={x(t)} x2={x(t)} y1={30} y2={172} stroke={col('hair')} strokeWidth={0.8} />
            <text x={x(t)} y={rows.axis + 4} textAnchor="middle" fill={col('soft')}>
              {ms(t)}
            </text>
          </g>
        ))}
      {[rows.front, rows.rear].map((y) => (
        <line
          key={y}
          x1={left}
          x2={width - right}
          y1={y - 4}
          y2={y - 4}
          stroke={col('mist')}
          strokeWidth={1}
          opacity={0.6}
        />
      ))}
      {reading?.phases.map((p) => {
        const a = x(p.from),
          b = x(p.to),
          w = b - a
        const text =
          w > 150 ? `${p.name} ${ms(p.value)} ± ${ms(2 * p.u)}` : w > 34 ? `${ms(p.value)} ± ${ms(2 * p.u)}` : ''
        return (
          <g key={p.id}>
            <title>{`${p.name} ${ms(p.value)} ± ${ms(2 * p.u)} ms; twice: loop it`}</title>
            <rect
              data-phase={p.id}
              x={a}
              y={rows.phases - 7}
              width={Math.max(0, w)}
              height={22}
              rx={4}
              fill={col('raised')}
              stroke={col('hair')}
            />
            <text
              x={(a + b) / 2}
              y={rows.phases + 9}
              textAnchor="middle"
              style={{ fontSize: w > 62 ? 12 : 10.5 }}
              pointerEvents="none"
            >
              {text}
            </text>
          </g>
        )
      })}
      {reading?.notes.map((n, i) => {
        const front = n.foot === 'front'
        const a = x(clip(n.start)),
          b = x(clip(n.end)),
          y = front ? rows.front : rows.rear
        const c = col(front ? 'brick' : 'sky')
        return (
          <g key={i}>
            <rect
              x={a}
              y={y - 14}
              width={Math.max(2, b - a)}
              height={20}
              rx={front ? 10 : 2}
              fill={c}
              opacity={n.openStart || n.openEnd ? 0.75 : 1}
            />
            {n.value !== undefined && b - a > 60 && (
              <text x={(a + b) / 2} y={y} textAnchor="middle" fill={col('paper')} style={{ fontWeight: 700 }}>
                {ms(n.value)} ± {ms(2 * n.u!)}
              </text>
            )}
            {n.openEnd && (
              <text x={b - 6} y={y} textAnchor="end" fill={col('paper')}>
                …
              </text>
            )}
            {(
              [
                [n.from, a],
                [n.to, b],
              ] as const
            ).map(
              ([place, at]) =>
                place && (
                  <rect
                    key={place}
                    data-edge={place}
                    x={at - 6}
                    y={y - 17}
                    width={12}
                    height={26}
                    fill={held === place ? col('ink') : 'transparent'}
                    opacity={0.35}
                    style={{ cursor: 'col-resize' }}
                  >
                    <title>{`drag to move ${keyName(event, place)}`}</title>
                  </rect>
                ),
            )}
          </g>
        )
      })}
      {proposals.map((p) => {
        const k = event.keys.find((y) => y.id === p.keyId)
        const foot = k?.lands ?? k?.lifts
        const front = foot !== undefined && context.front(foot)
        const at = x(p.t - zero),
          y = foot === undefined ? rows.phases : front ? rows.front : rows.rear
        return at < left || at > width - right ? null : (
          <g key={p.keyId} opacity={0.45 + 0.55 * p.confidence} pointerEvents="none">
            <rect
              x={at - Math.max(1, to - from > 0 ? ((2 * p.u) / (to - from)) * (width - left - right) : 0)}
              y={y - 14}
              width={2 * Math.max(1, ((2 * p.u) / (to - from)) * (width - left - right))}
              height={20}
              fill={col(foot === undefined ? 'mist' : front ? 'brick' : 'sky')}
              opacity={0.18}
            />
            <path
              d={
                k?.lands
                  ? `M${at} ${y - 14}v20M${at} ${y - 4}h9`
                  : k?.lifts
                    ? `M${at} ${y - 14}v20M${at} ${y - 4}h-9`
                    : `M${at} ${y - 10}v18`
              }
              stroke={col(foot === undefined ? 'ink' : front ? 'brick' : 'sky')}
              strokeWidth={1.6}
              strokeDasharray="3 2"
              fill="none"
            />
          </g>
        )
      })}
      {voice?.reading.notes.map((n, i) => {
        const front = n.foot === 'front'
        const a = x(clip(n.start)),
          b = x(clip(n.end)),
          y = (front ? rows.front : rows.rear) + 8
        return (
          b > a && (
            <rect
              key={i}
              x={a}
              y={y}
              width={b - a}
              height={5}
              rx={front ? 2.5 : 0}
              fill="none"
              stroke={col(front ? 'brick' : 'sky')}
              strokeDasharray={front ? undefined : '3 2'}
            >
              <title>{`${voice.name}${n.value !== undefined ? ` ${ms(n.value)} ± ${ms(2 * n.u!)} ms` : ''}`}</title>
            </rect>
          )
        )
      })}
      {reading?.chords.map((c, i) => (
        <g key={i} fill={col('soft')}>
          <path
            d={`M${x(clip(c.start))} ${rows.rests - 3}H${x(clip(c.end))}M${x(clip(c.start))} ${rows.rests}H${x(clip(c.end))}`}
            stroke={col('ink')}
            strokeWidth={1.2}
          />
          {x(clip(c.end)) - x(clip(c.start)) > 56 && (
            <text
              x={(x(clip(c.start)) + x(clip(c.end))) / 2}
              y={rows.rests + 13}
              textAnchor="middle"
              style={{ fontSize: 11.5 }}
            >
              both feet
            </text>
          )}
        </g>
      ))}
      {reading?.rests.map(
        (r, i) =>
          x(r.end) - x(r.start) > 22 && (
            <g key={i} fill={col('soft')}>
              <path
                d={`M${x(r.start) + 2} ${rows.rests - 4}v6M${x(r.end) - 2} ${rows.rests - 4}v6M${x(r.start) + 2} ${rows.rests - 1}H${x(r.end) - 2}`}
                stroke={col('mist')}
              />
              <text
                x={(x(r.start) + x(r.end)) / 2}
                y={rows.rests + 13}
                textAnchor="middle"
                style={{ fontSize: 11.5 }}
              >
                flight
              </text>
            </g>
          ),
      )}
      {[...(reading?.beats ?? [])]
        .sort((a, b) => a.t - b.t)
        .map((b) => {
          const name = keyName(event, b.keyId)
          const w = name.length * 6.1 + 8
          const line = ends.findIndex((e) => e < x(b.t) - w / 2)
          if (line >= 0) ends[line] = x(b.t) + w / 2
          return (
            <g key={b.keyId}>
              <line x1={x(b.t)} x2={x(b.t)} y1={line === 1 ? 30 : 18} y2={41} stroke={col('mist')} />
              <rect
                data-edge={b.keyId}
                x={x(b.t) - 5}
                y={line === 1 ? 30 : 18}
                width={10}
                height={23}
                fill={held === b.keyId ? col('ink') : 'transparent'}
                opacity={0.35}
                style={{ cursor: 'col-resize' }}
              />
              {line >= 0 && (
                <text
                  x={x(b.t)}
                  y={line === 0 ? 14 : 28}
                  textAnchor="middle"
                  style={{ fontSize: 12 }}
                  stroke={col('paper')}
                  strokeWidth={3}
                  paintOrder="stroke"
                >
                  {name}
                </text>
              )}
              <title>{`${name} ${ms(b.t)} ± ${ms(2 * b.u)} ms`}</title>
            </g>
          )
        })}
      {!reading?.beats.length && proposals.length === 0 && (
        <text x={left + 12} y={rows.phases + 9} fill={col('soft')}>
          Drag here to move through the film. Stamped contacts appear as notes, flights as rests.
        </text>
      )}
    </g>
  )
})
