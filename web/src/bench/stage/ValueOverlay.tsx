import type { Judged, Spot } from '../../ui/client'
import { inUnit, plusMinus } from '../../ui/format'
import { stage as ink } from '../../ui/theme'

type Vec = { X: number; Y: number }

/** A value's arc or line, as the server measured it, with its number. */
export function ValueOverlay({
  v,
  d,
  scale,
  full,
  label,
}: {
  v: Judged
  d: Judged['drawings'][number]
  scale: number
  full: boolean
  label: boolean
}) {
  const line = { fill: 'none', stroke: ink.arc, strokeWidth: 2 * scale }
  let path: string
  let text: Spot
  if (d.kind === 'arc' && d.vertex) {
    const a = direction(d.vertex, d.from),
      b = direction(d.vertex, d.to)
    let turn = b - a
    while (turn > Math.PI) turn -= 2 * Math.PI
    while (turn < -Math.PI) turn += 2 * Math.PI
    const r = Math.min((full ? 46 : 26) * scale, 0.7 * Math.min(length(d.vertex, d.from), length(d.vertex, d.to)))
    const on = (t: number, k = 1) => ({
      x: d.vertex!.X + r * k * Math.cos(a + turn * t),
      y: d.vertex!.Y + r * k * Math.sin(a + turn * t),
    })
    path =
      `M${on(0).x} ${on(0).y}` +
      Array.from({ length: 24 }, (_, i) => `L${on((i + 1) / 24).x} ${on((i + 1) / 24).y}`).join('')
    if (full)
      path += `M${d.vertex.X} ${d.vertex.Y}L${d.from.X} ${d.from.Y}M${d.vertex.X} ${d.vertex.Y}L${d.to.X} ${d.to.Y}`
    text = on(0.5, 1.25)
  } else {
    path = `M${d.from.X} ${d.from.Y}L${d.to.X} ${d.to.Y}`
    text = { x: (d.from.X + d.to.X) / 2, y: (d.from.Y + d.to.Y) / 2 - 14 * scale }
  }
  const number = inUnit(v.value, v.unit),
    more = ` ${plusMinus(v.u, v.unit)}`
  const w = (16 + 7.2 * number.length + 5 * more.length) * scale,
    h = 24 * scale
  return (
    <g pointerEvents="none">
      <path d={path} {...line} strokeDasharray={d.kind === 'segment' ? `${6 * scale} ${3 * scale}` : undefined} />
      {label && (
        <g transform={`translate(${text.x + 4 * scale} ${text.y - h / 2})`}>
          <rect width={w} height={h} rx={6 * scale} fill="#0D141B" opacity={0.85} />
          <text x={8 * scale} y={h * 0.7} fill={ink.chalk} style={{ fontSize: 15 * scale, fontWeight: 700 }}>
            {number}
            <tspan style={{ fontSize: 12 * scale, fontWeight: 400 }}>{more}</tspan>
          </text>
        </g>
      )}
    </g>
  )
}

const direction = (o: Vec, p: Vec) => Math.atan2(p.Y - o.Y, p.X - o.X)
const length = (o: Vec, p: Vec) => Math.hypot(p.X - o.X, p.Y - o.Y)
