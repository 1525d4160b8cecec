import { stage as ink } from '../../ui/theme'
import { roleOf, trail, type BenchContext } from '../benchModel'
import { roleInk } from './FigureOverlay'

/** The path whose point is shown when none is chosen: of the implement, else of the first one. */
export const usualPath = (context: BenchContext) =>
  context.paths!.paths.find((p) => p.name === 'implement')?.name ?? context.paths!.paths[0]?.name

/** A followed point's way about the picture, a dot for each picture. */
export function Trail({
  context,
  name,
  frame,
  scale,
}: {
  context: BenchContext
  name: string
  frame: number
  scale: number
}) {
  const parts = trail(context.paths!, name, frame)
  return (
    <g pointerEvents="none" data-trail={name}>
      {parts.map((part, i) => (
        <polyline
          key={i}
          points={part.map((p) => `${p.x},${p.y}`).join(' ')}
          fill="none"
          stroke={roleInk[roleOf(name, context.bench)]}
          strokeWidth={1.5 * scale}
          opacity={0.8}
        />
      ))}
      {parts.flat().map((p, i) => (
        <circle key={i} cx={p.x} cy={p.y} r={1.3 * scale} fill={ink.chalk} opacity={0.7} />
      ))}
    </g>
  )
}
