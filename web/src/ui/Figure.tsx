import { useQuery } from '@tanstack/react-query'
import { bones } from './body.gen'
import { ask, client } from './client'

/** The simulated athlete's figures at an event's key positions, in a square from 0 to 1. */
export const usePoses = (event: string, variant: string, view: string) =>
  useQuery({
    queryKey: ['poses', event, variant, view],
    staleTime: Infinity,
    retry: false,
    queryFn: () =>
      ask(client.GET('/api/playbook/{event}/poses', { params: { path: { event }, query: { variant, view } } })),
  })

export type Role = 'front' | 'rear' | 'middle'
type Point = { x: number; y: number }
export type Points = Record<string, Point>

/** A pose as it comes from the server, as points. */
export const pointsOf = (pose: Record<string, number[]>): Points =>
  Object.fromEntries(Object.entries(pose).map(([name, [x, y]]) => [name, { x, y }]))

/** The colours of the roles on paper. */
export const onPaper: Record<Role, string> = {
  front: 'var(--chakra-colors-brick)',
  rear: 'var(--chakra-colors-sky)',
  middle: 'var(--chakra-colors-ink)',
}

const distance = (a: Point, b: Point) => Math.hypot(a.x - b.x, a.y - b.y)

/** The head's circle, by the rule of core/body: between vertex and chin or neck, else round an ear. */
function head(at: Points): { middle: Point; radius: number } | undefined {
  const low = at.chin ?? at.neck
  if (low && at.vertex)
    return {
      middle: { x: (low.x + at.vertex.x) / 2, y: (low.y + at.vertex.y) / 2 },
      radius: 0.45 * distance(low, at.vertex),
    }
  const ear = at['ear.L'] ?? at['ear.R']
  const height = Math.max(
    ...['L', 'R'].flatMap((s) => {
      const hip = at[`hip.${s}`]
      if (!hip) return [0]
      const [knee, shoulder] = [at[`knee.${s}`], at[`shoulder.${s}`]]
      return [knee ? distance(hip, knee) / 0.245 : 0, shoulder ? distance(hip, shoulder) / 0.288 : 0]
    }),
  )
  return ear && height > 0 ? { middle: ear, radius: 0.065 * height } : undefined
}

/**
 * The athlete as a figure: limbs, trunk, lines of shoulders and hips, head. The side that works is solid, the
 * other dashed. Width is a line's, in the unit of the points.
 */
export function Figure({
  at,
  role,
  width,
  ink = onPaper,
  plain,
}: {
  at: Points
  role: (landmark: string) => Role
  width: number
  ink?: Record<Role, string>
  /** without dashes: too small for them */
  plain?: boolean
}) {
  const crown = head(at)
  return (
    <g fill="none" strokeLinecap="round" strokeWidth={width}>
      {bones.map(([a, b]) => {
        if (!at[a] || !at[b]) return null
        const of = role(a) === role(b) ? role(a) : 'middle'
        return (
          <line
            key={a + b}
            x1={at[a].x}
            y1={at[a].y}
            x2={at[b].x}
            y2={at[b].y}
            stroke={ink[of]}
            strokeDasharray={of === 'rear' && !plain ? `${2.6 * width} ${1.8 * width}` : undefined}
          />
        )
      })}
      {crown && <circle cx={crown.middle.x} cy={crown.middle.y} r={crown.radius} stroke={ink.middle} />}
      {at.implement && (
        <circle cx={at.implement.x} cy={at.implement.y} r={0.7 * width} fill={ink.middle} stroke="none" />
      )}
    </g>
  )
}
