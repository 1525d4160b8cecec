import type { Landmark, Spot } from '../../ui/client'
import { Figure } from '../../ui/Figure'
import { spoken } from '../../ui/format'
import { stage as ink } from '../../ui/theme'
import { roleOf, type BenchContext } from '../benchModel'

/** A role's colour on the dark stage. */
export const roleInk = { front: ink.brick, rear: ink.sky, middle: ink.chalk }

/** How a point came to be where it is: each has a sign of its own. */
type Sign = 'placed' | 'confirmed' | 'followed' | 'found'

function signOf(m: Landmark): { sign: Sign; says: string } {
  if (m.source === 'detected') return { sign: 'found', says: ', found, unconfirmed' }
  if (m.source === 'followed') return { sign: 'followed', says: ', followed' }
  if (m.u > 0) return { sign: 'confirmed', says: ', found and confirmed' }
  return { sign: 'placed', says: ', placed' }
}

function Dot({ at, role, size, sign }: { at: Spot; role: 'front' | 'rear' | 'middle'; size: number; sign: Sign }) {
  const c = roleInk[role]
  const look = {
    fill: { placed: ink.chalk, confirmed: c, followed: 'none', found: 'none' }[sign],
    stroke: sign === 'confirmed' ? ink.chalk : c,
    strokeWidth: size * 0.55,
    strokeDasharray: sign === 'found' ? `${size} ${size * 0.6}` : undefined,
  }
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
            {signOf(m).says}
          </title>
          {m.name === chosen && (
            <circle cx={m.x} cy={m.y} r={10 * scale} fill="none" stroke={ink.arc} strokeWidth={1.5 * scale} />
          )}
          <Dot
            at={m}
            role={roleOf(m.name, context.bench)}
            size={(faint ? 2.4 : 3.2) * scale}
            sign={signOf(m).sign}
          />
        </g>
      ))}
    </g>
  )
}
