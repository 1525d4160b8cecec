import { spoken } from '../ui/format'
import { roleOf, type BenchContext } from './benchModel'

/** Where the landmarks stand on the schematic athlete, front leg and near arm to the right. */
const places: Record<string, [number, number]> = {
  ear: [124, 26],
  neck: [112, 38],
  vertex: [117, 10],
  chin: [122, 36],
  sternum: [114, 62],
  implement: [180, 34],
  'implement.front': [181, 26],
  'implement.back': [166, 62],
  grip: [176, 46],
  'pole.top': [58, 16],
  'pole.mid': [50, 56],
  'pole.bottom': [46, 100],
  'bar.near': [178, 14],
  'bar.far': [160, 10],
  board: [176, 155],
  'knuckle.F': [176, 44],
  'knuckle.B': [53, 52],
  'shoulder.F': [128, 50],
  'elbow.F': [152, 66],
  'wrist.F': [170, 50],
  'shoulder.B': [100, 52],
  'elbow.B': [78, 70],
  'wrist.B': [60, 58],
  'hip.F': [122, 92],
  'knee.F': [150, 108],
  'ankle.F': [142, 140],
  'heel.F': [135, 148],
  'toe.F': [160, 148],
  'hip.B': [104, 92],
  'knee.B': [90, 122],
  'ankle.B': [62, 140],
  'heel.B': [52, 136],
  'toe.B': [64, 154],
}

/** The schematic athlete: lights up the landmark to place next. A landmark can be chosen on it too. */
export function BodyFigure({
  context,
  needs,
  placed,
  followed,
  armed,
  onArm,
}: {
  context: BenchContext
  needs: string[]
  placed: Set<string>
  followed: Set<string>
  armed?: string
  onArm: (l: string) => void
}) {
  const front = context.bench.side
  const at = (l: string): [number, number] => {
    if (places[l]) return places[l]
    const [part, side] = l.split('.')
    const b = places[`${part}.${side === front ? 'F' : 'B'}`]
    if (b) return b
    const c = places[part] ?? [112, 70]
    return side === 'L' || side === 'R' ? [c[0] + (side === front ? 4 : -6), c[1]] : c
  }
  const line = (...l: string[]) => 'M' + l.map((n) => places[n].join(' ')).join('L')
  const brick = 'var(--chakra-colors-brick)',
    sky = 'var(--chakra-colors-sky)',
    ink = 'var(--chakra-colors-ink)'
  return (
    <svg viewBox="40 4 145 156" width="100%" height={164} role="group" aria-label="Landmarks of this key position">
      <g fill="none" strokeLinecap="round" strokeLinejoin="round" opacity={0.55}>
        <path d={`${line('shoulder.B', 'hip.B')}M100 52L128 50L122 92L104 92`} stroke={ink} strokeWidth={1.4} />
        <circle cx={117} cy={24} r={13} stroke={ink} strokeWidth={1.4} />
        <path
          d={
            line('shoulder.B', 'elbow.B', 'wrist.B') +
            line('hip.B', 'knee.B', 'ankle.B', 'toe.B') +
            line('ankle.B', 'heel.B')
          }
          stroke={sky}
          strokeWidth={3}
          strokeDasharray="5 4"
        />
        <path
          d={
            line('shoulder.F', 'elbow.F', 'wrist.F') +
            line('hip.F', 'knee.F', 'ankle.F', 'toe.F') +
            line('ankle.F', 'heel.F')
          }
          stroke={brick}
          strokeWidth={3}
        />
      </g>
      {needs.map((n) => {
        const [x, y] = at(n)
        const role = roleOf(n, context.bench)
        const c = role === 'front' ? brick : role === 'rear' ? sky : ink
        const done = placed.has(n),
          on = n === armed
        const look = { stroke: c, strokeWidth: 1.6, fill: done ? c : 'var(--chakra-colors-raised)' }
        return (
          <g
            key={n}
            role="button"
            tabIndex={0}
            aria-label={
              `${spoken(n)}, ` +
              `${done ? 'placed' : followed.has(n) ? 'followed' : on ? 'to place now' : 'to place'}`
            }
            aria-pressed={on}
            style={{ cursor: 'pointer' }}
            onClick={() => onArm(n)}
            onKeyDown={(e) => {
              if (e.key === 'Enter') onArm(n)
            }}
          >
            <circle cx={x} cy={y} r={9} fill="transparent" />
            {on && <circle cx={x} cy={y} r={8} fill="#F2C14E" stroke={ink} strokeWidth={1} />}
            {role === 'rear' ? (
              <rect x={x - 3.6} y={y - 3.6} width={7.2} height={7.2} {...look} />
            ) : (
              <circle cx={x} cy={y} r={4} {...look} />
            )}
            {!done && followed.has(n) && <circle cx={x} cy={y} r={1.6} fill={c} />}
          </g>
        )
      })}
    </svg>
  )
}
