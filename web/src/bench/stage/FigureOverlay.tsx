import type { Landmark, Spot } from '../../ui/client'
import { Figure } from '../../ui/Figure'
import { spoken } from '../../ui/format'
import { stage as ink } from '../../ui/theme'
import { roleOf, type BenchContext } from '../benchModel'

/** A role's colour on the dark stage. */
export const roleInk = { front: ink.brick, rear: ink.sky, middle: ink.chalk }

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
  // The implement has its own sign.
  const by = Object.fromEntries(marks.filter((m) => m.name !== 'implement').map((m) => [m.name, m]))
  return (
    <g opacity={faint ? 0.85 : 1}>
      <Figure at={by} role={(l) => roleOf(l, context.bench)} ink={roleInk} width={2 * scale} />
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
