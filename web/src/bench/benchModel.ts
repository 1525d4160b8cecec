import type {
  Bench,
  Command,
  Event,
  Followed,
  Judged,
  Key,
  Landmark,
  Proposal,
  Reading,
  Spot,
  Task,
} from '../ui/client'

export const stages = ['watch', 'split', 'measure', 'judge', 'assign'] as const
export type StageName = (typeof stages)[number]

export const stageTitles: Record<StageName, string> = {
  watch: 'Watch',
  split: 'Split',
  measure: 'Measure',
  judge: 'Judge',
  assign: 'Assign',
}

/** What presses on the picture are being taken for. */
export type Tool =
  | { kind: 'scale'; metres: number; what: string }
  | { kind: 'level'; vertical: boolean }
  | { kind: 'origin' }
  | { kind: 'subject' }
  /** A point of the world: metres along the throw or run, to its left, and up. */
  | { kind: 'controlPoint'; name: string; at: number[] }
  /** Something that falls, placed picture after picture; each press goes on by so many. */
  | { kind: 'fall'; stride: number }
  /** One joint, placed again and again. */
  | { kind: 'repeat'; landmark: string; points: Spot[] }

/** How often a joint is placed in the repeatability test. */
export const repeats = 5

/** Which paths of followed points are drawn. */
export type Trails = 'one' | 'all' | 'none'
export const trailChoices: [Trails, string][] = [
  ['one', 'this point’s path'],
  ['all', 'all paths'],
  ['none', 'none'],
]

/** All that the parts of the Bench share. */
export type BenchContext = {
  bench: Bench
  event: Event
  reading?: Reading
  /** Where followed points are. */
  paths?: Followed
  /** The last finding or following of points. */
  task?: Task
  send: (c: Command) => void
  /** Shows a picture. */
  go: (frame: number) => void
  /** Chooses a rung, and shows its picture when it is stamped. */
  visit: (place: string) => void
  /** Whether a role's foot is written on the score's first line. */
  front: (role: string) => boolean
  /** Opens or closes a value's derivation. */
  open: (key: string | undefined) => void
}

/** Speeds at which a film is run, as shares of real speed; 0 shows every picture. */
export const speeds: [number, string][] = [
  [1, 'real'],
  [0.5, '½'],
  [0.25, '¼'],
  [0.125, '⅛'],
  [0, 'stepped'],
]

/** Passes of Watch, with the share of real speed; Step shows every picture. */
export const passes = [
  { speed: 1, says: 'real speed' },
  { speed: 0.25, says: '¼ of real speed' },
  { speed: 0, says: '4 pictures a second' },
  { speed: 0.125, says: '⅛ of real speed' },
]

/** A landmark's role: which leg's side it is on. */
export function roleOf(landmark: string, b: Bench): 'front' | 'rear' | 'middle' {
  const side = landmark.split('.')[1]
  if (!side) return 'middle'
  return side === b.side ? 'front' : 'rear'
}

/** The film begins after this key position, or ends before it: the coach says so. */
export const notInFilm = (b: Bench, keyId: string) => !!b.calibration.notInFilm?.includes(keyId)

/** Rungs before the first stamp that the film may begin after: those that are needed and not stamped. */
export function beforeTheFilm(event: Event, b: Bench): Key[] {
  const first = event.keys.findIndex((k) => b.stamps[k.id] !== undefined)
  return event.keys.slice(0, Math.max(0, first)).filter((k) => !k.optional && !notInFilm(b, k.id))
}

/** Rungs stamped on a picture. */
export const rungsAt = (event: Event, b: Bench, frame: number): Key[] =>
  event.keys.filter((k) => b.stamps[k.id] === frame)

/**
 * The key position that the next stamp goes to: the chosen one, else the next
 * that the event needs, and the optional ones when those are done.
 */
export function nextRung(event: Event, b: Bench, chosen: string | undefined): Key | undefined {
  const open = (k: Key) => b.stamps[k.id] === undefined && (k.id === chosen || !notInFilm(b, k.id))
  const needed = (k: Key) => open(k) && !k.optional
  const from = event.keys.findIndex((k) => k.id === chosen)
  if (from >= 0 && open(event.keys[from])) return event.keys[from]
  return (
    event.keys.slice(Math.max(0, from)).find(needed) ??
    event.keys.find(needed) ??
    event.keys.slice(Math.max(0, from)).find(open) ??
    event.keys.find(open)
  )
}

/** Landmarks that a picture's rungs need, in placing order, then those that a measure wants there besides. */
export function needsAt(rungs: Key[], frame: number, reading: Reading | undefined): string[] {
  const extra = reading?.extras.filter((x) => x.frame === frame).map((x) => x.landmark) ?? []
  return [...new Set([...rungs.flatMap((k) => reading?.needs[k.id] ?? []), ...extra])]
}

/** What lies in the coach's hand on a picture: its rungs, the one chosen, and the landmark to place. */
export function inHand(
  { bench, event, reading, paths }: Pick<BenchContext, 'bench' | 'event' | 'reading' | 'paths'>,
  frame: number,
  rungChosen?: string,
  picked?: { frame: number; name: string },
) {
  const rungs = rungsAt(event, bench, frame)
  // A stamped rung that the picture does not show is not the one in hand.
  const chosen =
    rungs.some((k) => k.id === rungChosen) || bench.stamps[rungChosen ?? ''] === undefined ? rungChosen : undefined
  const here = rungs.find((k) => k.id === chosen) ?? rungs[0]
  const current = here?.id ?? chosen
  const needs = needsAt(here ? [here, ...rungs.filter((k) => k !== here)] : [], frame, reading)
  const placed = new Set(marksAt(bench, frame).map((m) => m.name))
  const followed = new Set(followedAt(bench, paths, frame).map((m) => m.name))
  const armed =
    (picked?.frame === frame ? picked.name : undefined) ?? needs.find((n) => !placed.has(n) && !followed.has(n))
  // A chosen rung is where stamping goes on from, though its picture is left.
  return {
    rungs,
    here,
    current,
    next: nextRung(event, bench, current ?? rungChosen),
    needs,
    placed,
    followed,
    armed,
  }
}

/** A landmark that the coach's hand puts on a picture. */
export const placedMark = (frame: number, name: string, at: Spot): Landmark => ({
  frame,
  name,
  ...at,
  u: 0,
  source: 'placed',
  confidence: 1,
})

/** The followed points of a picture, but for those that are placed there. */
export function followedAt(b: Bench, paths: Followed | undefined, frame: number): Landmark[] {
  const i = frame - (paths?.first ?? 0)
  const placed = new Set(marksAt(b, frame).map((m) => m.name))
  return (
    paths?.paths.flatMap((p) =>
      p.u[i] > 0 && !placed.has(p.name)
        ? [{ frame, name: p.name, x: p.x[i], y: p.y[i], u: p.u[i], source: p.source, confidence: p.confidence[i] }]
        : [],
    ) ?? []
  )
}

/** The points of a picture that the server found and nobody has confirmed. */
export const foundOn = (b: Bench, paths: Followed | undefined, frame: number): Landmark[] =>
  followedAt(b, paths, frame).filter((m) => m.source === 'detected')

/** The command that confirms them. */
export const confirmation = (found: Landmark[]): Command => ({
  kind: 'landmarks',
  points: found.map(({ frame, name, x, y, u }) => ({ frame, name, at: { x, y }, u })),
})

/** The command that stamps rungs on a picture by the coach's eye. */
export const stamping = (rungs: Key[], frame: number): Command => ({
  kind: 'stamps',
  stamps: Object.fromEntries(rungs.map((k) => [k.id, frame])),
})

/** The command that takes proposals. What was read off found points keeps its ± until the coach stamps it. */
export const taking = (proposals: Proposal[]): Command => ({
  kind: 'stamps',
  stamps: Object.fromEntries(proposals.map((p) => [p.keyId, p.frame])),
  u: Object.fromEntries(proposals.filter((p) => p.unconfirmed).map((p) => [p.keyId, p.u])),
})

/** The picture to look at next: of those that decide most, then of the other stamped ones with open points. */
export function nextToConfirm({ bench, event, reading, paths }: BenchContext, frame: number): string | undefined {
  const open = (keyId: string) => {
    const at = bench.stamps[keyId]
    return at !== undefined && at !== frame && foundOn(bench, paths, at).length > 0
  }
  return reading?.deciding.find((p) => open(p.keyId))?.keyId ?? event.keys.find((k) => open(k.id))?.id
}

/** How many pictures before and after are drawn of a path. */
const trailReach = 24

/** The stretches of a path about a picture, as they lie in the world that the picture shows. */
export function trail(paths: Followed, name: string, frame: number): Spot[][] {
  const p = paths.paths.find((x) => x.name === name)
  const now = frame - paths.first
  if (!p || now < 0 || now >= p.x.length) return []
  const out: Spot[][] = [[]]
  for (let i = Math.max(0, now - trailReach); i < Math.min(p.x.length, now + trailReach + 1); i++) {
    if (p.u[i] > 0) out[out.length - 1].push(between(paths, i, now, { x: p.x[i], y: p.y[i] }))
    else if (out[out.length - 1].length) out.push([])
  }
  return out.filter((s) => s.length > 1)
}

/** Takes a still point from one picture to another, as the camera moved. */
function between(paths: Followed, from: number, to: number, p: Spot): Spot {
  const [back, there] = [paths.toFirst[from], paths.fromFirst[to]]
  return from === to || !back || !there ? p : map(there, map(back, p))
}

function map(h: number[], p: Spot): Spot {
  const w = h[6] * p.x + h[7] * p.y + h[8]
  return { x: (h[0] * p.x + h[1] * p.y + h[2]) / w, y: (h[3] * p.x + h[4] * p.y + h[5]) / w }
}

export const marksAt = (b: Bench, frame: number): Landmark[] => b.landmarks.filter((l) => l.frame === frame)

/** How many landmarks tell where an athlete is. */
const enough = 6

/** The landmarks of the picture nearest in time that has enough of them. */
export function nearestMarks(b: Bench, frame: number): Landmark[] {
  const counts = new Map<number, number>()
  for (const l of b.landmarks) counts.set(l.frame, (counts.get(l.frame) ?? 0) + 1)
  const at = [...counts]
    .filter(([, n]) => n >= enough)
    .reduce<number | undefined>(
      (best, [f]) => (best === undefined || Math.abs(f - frame) < Math.abs(best - frame) ? f : best),
      undefined,
    )
  return at === undefined ? [] : marksAt(b, at)
}

export const valuesAt = (reading: Reading | undefined, place: string): Judged[] =>
  reading?.values.filter((v) => v.keyId === place) ?? []

export const keyName = (event: Event, place: string) => event.keys.find((k) => k.id === place)?.name ?? place

/** Where a spot of one picture lies on another, as the camera moved. */
export const carried = (paths: Followed | undefined, from: number, to: number, p: Spot): Spot =>
  paths ? between(paths, from - paths.first, to - paths.first, p) : p

export const distance = (a: Spot, b: Spot) => Math.hypot(a.x - b.x, a.y - b.y)

/** On the picture: the value that is opened, else the angles of this key position. */
export function arcs(values: Judged[], opened?: string): Judged[] {
  const one = values.filter((v) => v.key === opened)
  return one.length ? one : values.filter((v) => v.missing.length === 0 && v.drawings.some((d) => d.kind === 'arc'))
}

const sideOf = (foot: string) => foot.replace(/ (foot|side)$/, '')

/** From where a camera sees, in words. */
export const viewNames = (feet: string[]): Record<string, string> => ({
  'side-open': `from the ${sideOf(feet[0])} side`,
  'side-closed': `from the ${sideOf(feet[1])} side`,
  back: 'from behind',
  front: 'from the front',
  overhead: 'from above',
  oblique: 'slantwise',
  'bar-line': 'along the bar',
})
