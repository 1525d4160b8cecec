import type { Landmark, Spot } from '../../ui/client'
import { spoken } from '../../ui/format'
import { stage as ink } from '../../ui/theme'
import { roleOf, type BenchContext } from '../benchModel'

/** A role's colour on the dark stage. */
export const roleInk = { front: ink.brick, rear: ink.sky, middle: ink.chalk }

/** Segments of the body as they are drawn. */
const bones = (['L', 'R'] as const).flatMap((s) =>
  [
    ['hip', 'knee'],
    ['knee', 'ankle'],
    ['ankle', 'toe'],
    ['ankle', 'heel'],
    ['shoulder', 'elbow'],
    ['elbow', 'wrist'],
    ['shoulder', 'hip'],
  ].map(([a, b]) => [`${a}.${s}`, `${b}.${s}`]),
)

function Dot({
  at,
  role,
  size,
  hollow,
  dash,
}: {
  at: Spot
  role: 'front' | 'rear' | 'middle'
  size: number
  hollow?: boolean
  dash?: string
}) {
  const c = roleInk[role]
  const look = { fill: hollow ? 'none' : ink.chalk, stroke: c, strokeWidth: size * 0.55, strokeDasharray: dash }
  return role === 'rear' ? (
    <rect x={at.x - size} y={at.y - size} width={2 * size} height={2 * size} {...look} />
  ) : (
    <circle cx={at.x} cy={at.y} r={size} {...look} />
  )
}

/** The landmarks of a picture, joined to a figure. */
export function FigureOverlay({
  marks,
  context,
  scale,
  chosen,
  faint,
}: {
  marks: Landmark[]
  context: BenchContext
  scale: number
  chosen?: string
  faint: boolean
}) {
  const by = Object.fromEntries(marks.map((m) => [m.name, m]))
  const w = 2 * scale
  return (
    <g opacity={faint ? 0.85 : 1}>
      {bones.map(([a, b]) => {
        const role = roleOf(a, context.bench)
        return (
          by[a] &&
          by[b] && (
            <line
              key={a + b}
              x1={by[a].x}
              y1={by[a].y}
              x2={by[b].x}
              y2={by[b].y}
              stroke={roleInk[role]}
              strokeWidth={w}
              strokeDasharray={role === 'rear' ? `${4 * w} ${2 * w}` : undefined}
              strokeLinecap="round"
            />
          )
        )
      })}
      {marks.map((m) => (
        <g key={m.name} data-landmark={m.name}>
          <title>
            {spoken(m.name)}
            {m.source === 'followed' ? ', followed' : ''}
          </title>
          {m.name === chosen && (
            <circle cx={m.x} cy={m.y} r={10 * scale} fill="none" stroke={ink.arc} strokeWidth={1.5 * scale} />
          )}
          <Dot
            at={m}
            role={roleOf(m.name, context.bench)}
            size={(faint ? 2.4 : 3.2) * scale}
            hollow={m.source === 'followed'}
          />
        </g>
      ))}
    </g>
  )
}
