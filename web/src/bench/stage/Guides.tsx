import type { Spot } from '../../ui/client'
import { stage as ink } from '../../ui/theme'
import type { BenchContext } from '../benchModel'

/** The scale, the level and the line, where they were marked. */
export function Guides({
  context,
  frame,
  scale,
  first,
  cursor,
  box,
  known,
}: {
  context: BenchContext
  frame: number
  scale: number
  first?: Spot
  cursor?: Spot
  box: boolean
  known: boolean
}) {
  const { scale: s, level, origin, subject, controlPoints } = context.bench.calibration
  const frameOf = (a: Spot, b: Spot) => (
    <rect
      x={Math.min(a.x, b.x)}
      y={Math.min(a.y, b.y)}
      width={Math.abs(a.x - b.x)}
      height={Math.abs(a.y - b.y)}
      fill="none"
      {...thin}
    />
  )
  const thin = { stroke: ink.chalk, strokeWidth: 1.3 * scale, opacity: 0.75 }
  const end = (p: Spot, key: string) => (
    <path
      key={key}
      d={`M${p.x - 4 * scale} ${p.y}h${8 * scale}M${p.x} ${p.y - 4 * scale}v${8 * scale}`}
      {...thin}
    />
  )
  const line = (a: Spot, b: Spot, dash?: string) => (
    <line x1={a.x} y1={a.y} x2={b.x} y2={b.y} {...thin} strokeDasharray={dash} />
  )
  return (
    <g pointerEvents="none">
      {s && (
        <g>
          {line(s.a, s.b)}
          {end(s.a, 'a')}
          {end(s.b, 'b')}
        </g>
      )}
      {level && line(level.a, level.b, `${2 * scale} ${4 * scale}`)}
      {origin && (
        <path d={`M${origin.at.x} ${origin.at.y - 14 * scale}v${22 * scale}`} {...thin} strokeWidth={2 * scale} />
      )}
      {controlPoints
        ?.filter((p) => known || p.frame === frame)
        .map((p) => (
          <g key={p.name}>
            <title>{p.name}</title>
            {end(p.px, p.name)}
            <circle cx={p.px.x} cy={p.px.y} r={3 * scale} fill="none" {...thin} />
          </g>
        ))}
      {subject?.frame === frame && frameOf(subject.a, subject.b)}
      {!context.paths &&
        context.bench.landmarks
          .filter((l) => l.name === 'implement')
          .map((l) => (
            <circle
              key={l.frame}
              cx={l.x}
              cy={l.y}
              r={4 * scale}
              fill="none"
              {...thin}
              opacity={l.frame === frame ? 1 : 0.45}
            />
          ))}
      {first && (
        <g>
          {end(first, 'f')}
          {cursor && (box ? frameOf(first, cursor) : line(first, cursor, `${5 * scale} ${3 * scale}`))}
        </g>
      )}
    </g>
  )
}
