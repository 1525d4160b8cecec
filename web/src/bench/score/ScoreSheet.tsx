import { memo } from 'react'
import type { Reading } from '../../ui/client'
import { keyName, type BenchContext } from '../benchModel'
import type { Proposal } from '../../ui/client'
import { col, left, ms, right, rows } from './layout'

type Props = {
  context: BenchContext
  from: number
  to: number
  width: number
  proposals: Proposal[]
  zero: number
  voice?: { name: string; reading: Reading }
  held?: string
}

/** Where the seconds of a sheet lie on it. */
type Axis = {
  from: number
  to: number
  width: number
  x: (t: number) => number
  /** An instant, or the edge of the sheet that it lies beyond. */
  clip: (t: number) => number
}

/** What is stamped and proposed, between two instants. */
export const ScoreSheet = memo(function ScoreSheet({
  context,
  from,
  to,
  width,
  proposals,
  zero,
  voice,
  held,
}: Props) {
  const { reading } = context
  const axis: Axis = {
    from,
    to,
    width,
    x: (t) => left + ((t - from) / (to - from)) * (width - left - right),
    clip: (t) => Math.min(to, Math.max(from, t)),
  }
  return (
    <g fill={col('ink')} style={{ fontSize: 12.5 }}>
      <Ticks axis={axis} />
      {reading && <Phases axis={axis} reading={reading} />}
      {reading && <Contacts axis={axis} reading={reading} context={context} held={held} />}
      <Pencilled axis={axis} proposals={proposals} context={context} zero={zero} />
      {voice && <Voice axis={axis} voice={voice} />}
      {reading && <Supports axis={axis} reading={reading} />}
      {reading && <KeyPositions axis={axis} reading={reading} context={context} held={held} />}
      {!reading?.keyTimes.length && proposals.length === 0 && (
        <text x={left + 12} y={rows.phases + 9} fill={col('soft')}>
          Drag here to move through the film. Stamped contacts appear as bars, flights between them.
        </text>
      )}
    </g>
  )
})

/** The time axis and the two lines of the feet. */
function Ticks({ axis: { from, to, width, x } }: { axis: Axis }) {
  const step = [0.01, 0.02, 0.05, 0.1, 0.2, 0.5, 1, 2, 5].find((s) => (to - from) / s < 14) ?? 10
  const ticks = Array.from(
    { length: Math.floor(to / step) - Math.ceil(from / step) + 1 },
    (_, i) => (Math.ceil(from / step) + i) * step,
  )
  return (
    <>
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
    </>
  )
}

/** Phases with their durations. */
function Phases({ axis: { x }, reading }: { axis: Axis; reading: Reading }) {
  return (
    <>
      {reading.phases.map((p) => {
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
    </>
  )
}

/** Contacts of the feet as held notes; their ends can be dragged. */
function Contacts({
  axis: { x, clip },
  reading,
  context,
  held,
}: {
  axis: Axis
  reading: Reading
  context: BenchContext
  held?: string
}) {
  return (
    <>
      {reading.contacts.map((n, i) => {
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
                    <title>{`drag to move ${keyName(context.event, place)}`}</title>
                  </rect>
                ),
            )}
          </g>
        )
      })}
    </>
  )
}

/** Proposals, pencilled in with their ±. */
function Pencilled({
  axis: { from, to, width, x },
  proposals,
  context,
  zero,
}: {
  axis: Axis
  proposals: Proposal[]
  context: BenchContext
  zero: number
}) {
  return (
    <>
      {proposals.map((p) => {
        const k = context.event.keys.find((y) => y.id === p.keyId)
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
    </>
  )
}

/** Contacts of another attempt, hollow. */
function Voice({ axis: { x, clip }, voice }: { axis: Axis; voice: NonNullable<Props['voice']> }) {
  return (
    <>
      {voice.reading.contacts.map((n, i) => {
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
    </>
  )
}

/** Double supports and flights. */
function Supports({ axis: { x, clip }, reading }: { axis: Axis; reading: Reading }) {
  return (
    <>
      {reading.doubleSupports.map((c, i) => (
        <g key={i} fill={col('soft')}>
          <path
            d={
              `M${x(clip(c.start))} ${rows.flights - 3}H${x(clip(c.end))}M${x(clip(c.start))} ` +
              `${rows.flights}H${x(clip(c.end))}`
            }
            stroke={col('ink')}
            strokeWidth={1.2}
          />
          {x(clip(c.end)) - x(clip(c.start)) > 56 && (
            <text
              x={(x(clip(c.start)) + x(clip(c.end))) / 2}
              y={rows.flights + 13}
              textAnchor="middle"
              style={{ fontSize: 11.5 }}
            >
              both feet
            </text>
          )}
        </g>
      ))}
      {reading.flights.map(
        (r, i) =>
          x(r.end) - x(r.start) > 22 && (
            <g key={i} fill={col('soft')}>
              <path
                d={
                  `M${x(r.start) + 2} ${rows.flights - 4}v6M${x(r.end) - 2} ${rows.flights - 4}v6M` +
                  `${x(r.start) + 2} ${rows.flights - 1}H${x(r.end) - 2}`
                }
                stroke={col('mist')}
              />
              <text
                x={(x(r.start) + x(r.end)) / 2}
                y={rows.flights + 13}
                textAnchor="middle"
                style={{ fontSize: 11.5 }}
              >
                flight
              </text>
            </g>
          ),
      )}
    </>
  )
}

/** Key positions by name, as far as there is room. */
function KeyPositions({
  axis: { x },
  reading,
  context,
  held,
}: {
  axis: Axis
  reading: Reading
  context: BenchContext
  held?: string
}) {
  const ends = [-Infinity, -Infinity]
  return (
    <>
      {[...reading.keyTimes]
        .sort((a, b) => a.t - b.t)
        .map((b) => {
          const name = keyName(context.event, b.keyId)
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
    </>
  )
}
