import type { Schemas } from './client'
import { Figure, type Points } from './Figure'

/** Where a region lies, seen from the front: how far from the middle line, and down, of a height of 100. */
const regions: Record<string, [number, number]> = {
  head: [0, 7],
  neck: [0, 15],
  shoulder: [10, 20],
  elbow: [16, 37],
  forearm: [18, 44],
  wrist: [20, 51],
  hand: [21, 55],
  'upper back': [4, 24],
  'lower back': [3, 42],
  ribs: [6, 31],
  abdominals: [2, 39],
  groin: [3, 53],
  hip: [8, 50],
  buttock: [6, 53],
  'front of the thigh': [6, 62],
  hamstring: [7, 65],
  knee: [6.5, 73],
  shin: [7, 82],
  calf: [8, 81],
  'achilles tendon': [7, 91],
  ankle: [7, 94],
  foot: [8, 98],
}

/** The figure's joints: how far from the middle line, and down. */
const joints: [string, number, number][] = [
  ['shoulder', 9, 19],
  ['elbow', 15, 37],
  ['wrist', 20, 52],
  ['hip', 5, 51],
  ['knee', 6.5, 73],
  ['ankle', 7, 94],
  ['toe', 10, 98],
]

/** The athlete as a figure, seen from the front: the working side in brick, open pain as a ring. */
export function AthleteFigure({ athlete, pains }: { athlete: Schemas['Athlete']; pains: Schemas['PainNote'][] }) {
  const open = pains.filter((n) => !n.cleared)
  // Seen from the front the athlete's right is at the left.
  const x = (side: 'L' | 'R', out: number) => 25 + (side === 'L' ? out : -out)
  const spots = open.flatMap((n) => {
    const [out, down] = regions[n.region] ?? [0, 50]
    const sides = n.side === 'left' ? ['L'] : n.side === 'right' ? ['R'] : n.side === 'both' ? ['L', 'R'] : ['']
    return sides.map((s) => ({ x: s ? x(s as 'L', out) : 25, y: down, key: n.id + s }))
  })
  const at: Points = { vertex: { x: 25, y: 1 }, chin: { x: 25, y: 13 } }
  for (const s of ['L', 'R'] as const)
    for (const [name, out, down] of joints) at[`${name}.${s}`] = { x: x(s, out), y: down }
  const arms = /^(shoulder|elbow|wrist)/
  const role = (l: string) => {
    const side = l.split('.')[1]
    if (!side) return 'middle'
    return side === (arms.test(l) ? (athlete.hand ?? 'R') : (athlete.jumpLeg ?? 'L')) ? 'front' : 'rear'
  }
  const says =
    `Throws with the ${athlete.hand === 'L' ? 'left' : 'right'}, takes off from the ` +
    `${athlete.jumpLeg === 'R' ? 'right' : 'left'}` +
    `${open.length ? `; pain: ${open.map((n) => `${n.side} ${n.region}`).join(', ')}` : ''}`
  return (
    <svg
      viewBox="0 -1 50 102"
      height={150}
      role="img"
      aria-label={says}
      style={{ flex: 'none' }}
      fill="none"
      strokeLinecap="round"
      strokeLinejoin="round"
      strokeWidth={2.6}
    >
      <Figure at={at} role={role} width={2.4} />
      {spots.map((p) => (
        <circle key={p.key} cx={p.x} cy={p.y} r={4.2} stroke="var(--chakra-colors-plum)" strokeWidth={1.8} />
      ))}
    </svg>
  )
}
