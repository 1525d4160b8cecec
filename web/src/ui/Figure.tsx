import { useQuery } from '@tanstack/react-query'
import { ask, client } from './client'

const bones = (['L', 'R'] as const).flatMap((s) =>
  [
    ['shoulder', 'elbow'],
    ['elbow', 'wrist'],
    ['wrist', 'knuckle'],
    ['hip', 'knee'],
    ['knee', 'ankle'],
    ['ankle', 'heel'],
    ['ankle', 'toe'],
    ['shoulder', 'hip'],
  ].map(([a, b]) => [`${a}.${s}`, `${b}.${s}`]),
)

export const usePoses = (event: string, variant: string, view: string) =>
  useQuery({
    queryKey: ['poses', event, variant, view],
    staleTime: Infinity,
    retry: false,
    queryFn: () =>
      ask(client.GET('/api/playbook/{event}/poses', { params: { path: { event }, query: { variant, view } } })),
  })

type Pose = Record<string, number[]>

/** The simulated athlete's figure, with a colour for each side. */
export function Figure({
  pose,
  colour,
  dashed,
}: {
  pose: Pose
  colour: (landmark: string) => string
  dashed?: (landmark: string) => boolean
}) {
  return (
    <>
      {bones.map(
        ([a, b]) =>
          pose[a] &&
          pose[b] && (
            <line
              key={a + b}
              x1={pose[a][0]}
              y1={pose[a][1]}
              x2={pose[b][0]}
              y2={pose[b][1]}
              stroke={`var(--chakra-colors-${colour(a)})`}
              strokeDasharray={dashed?.(a) ? '0.05 0.03' : undefined}
              strokeWidth={0.033}
              strokeLinecap="round"
            />
          ),
      )}
      {pose.neck && pose.vertex && (
        <circle
          cx={(pose.neck[0] + pose.vertex[0]) / 2}
          cy={(pose.neck[1] + pose.vertex[1]) / 2}
          r={0.058}
          fill="var(--chakra-colors-ink)"
        />
      )}
      {pose.implement && pose.implement[0] > 0 && pose.implement[0] < 1 && (
        <circle
          cx={pose.implement[0]}
          cy={pose.implement[1]}
          r={0.033}
          fill="none"
          stroke="var(--chakra-colors-ink)"
          strokeWidth={0.023}
        />
      )}
    </>
  )
}
