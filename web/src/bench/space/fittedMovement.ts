import type { Schemas } from '../../ui/client'
import type { Points } from '../../figure/skeleton'

export type FittedMovement = Schemas['FittedMovement']
export type FittedPicture = FittedMovement['pictures'][number]
type Spot = { x: number; y: number }
type Box = { x: number; y: number; w: number; h: number }

const metre = 1000 // mm

/** Places by landmark, m. */
export function pointsOf(m: FittedMovement, at: number[], off?: number[]): Points {
  const out: Points = {}
  m.landmarks.forEach((l, i) => {
    const n = 3 * i
    const on = (k: number) => (at[n + k] + (off?.[n + k] ?? 0)) / metre
    out[l] = [on(0), on(1), on(2)]
  })
  return out
}

/** Where a picture shows a place of the world, px. */
export function project(matrix: number[], [x, y, z]: [number, number, number]): Spot {
  const row = (i: number) => matrix[4 * i] * x + matrix[4 * i + 1] * y + matrix[4 * i + 2] * z + matrix[4 * i + 3]
  return { x: row(0) / row(2), y: row(1) / row(2) }
}

/** The body on a picture; none before the fit's first picture and after its last. */
export function bodyOn(m: FittedMovement, frame: number): FittedPicture | undefined {
  return m.pictures[frame - m.pictures[0].frame]
}

/** The part of the picture in which the body moves, in a room so wide to its height. */
export function sight(m: FittedMovement, aspect: number): Box {
  let [left, top, right, bottom] = [Infinity, Infinity, -Infinity, -Infinity]
  for (const p of m.pictures)
    for (const at of Object.values(pointsOf(m, p.at))) {
      const q = project(p.matrix, at)
      left = Math.min(left, q.x)
      right = Math.max(right, q.x)
      top = Math.min(top, q.y)
      bottom = Math.max(bottom, q.y)
    }
  const margin = 1.12
  let w = (right - left) * margin
  let h = (bottom - top) * margin
  if (w / h < aspect) w = h * aspect
  else h = w / aspect
  return { x: (left + right - w) / 2, y: (top + bottom - h) / 2, w, h }
}

/** The middle of the hips over the whole movement, m. */
export function middleOf(m: FittedMovement): [number, number, number] {
  const sum = [0, 0, 0]
  for (const p of m.pictures) {
    const at = pointsOf(m, p.at)
    for (const k of [0, 1, 2]) sum[k] += ((at['hip.L']?.[k] ?? 0) + (at['hip.R']?.[k] ?? 0)) / 2 / m.pictures.length
  }
  return [sum[0], sum[1], sum[2]]
}

/** The azimuth that the hips face on a picture, radians from x toward y. */
export function facing(at: Points): number {
  const [l, r] = [at['hip.L'], at['hip.R']]
  if (!l || !r) return 0
  return Math.atan2(r[0] - l[0], -(r[1] - l[1]))
}

const names: Record<string, string> = {
  'hip knee': 'thigh',
  'knee ankle': 'shin',
  'ankle toe': 'foot',
  'shoulder elbow': 'upper arm',
  'elbow wrist': 'forearm',
  'wrist knuckle': 'hand',
  'shoulder hip': 'side of the trunk',
}

export type Limb = { from: string; to: string; name: string }

/** The limbs that one can ask about: the body's parts, and the lines of hips and shoulders. */
export function limbsOf(m: FittedMovement): Limb[] {
  const has = (l: string) => m.landmarks.includes(l)
  const out: Limb[] = []
  for (const [side, said] of [
    ['L', 'left'],
    ['R', 'right'],
  ])
    for (const [pair, name] of Object.entries(names)) {
      const [a, b] = pair.split(' ').map((part) => `${part}.${side}`)
      if (has(a) && has(b)) out.push({ from: a, to: b, name: `${said} ${name}` })
    }
  for (const part of ['hip', 'shoulder'])
    if (has(`${part}.L`)) out.push({ from: `${part}.L`, to: `${part}.R`, name: `line of the ${part}s` })
  return out
}
