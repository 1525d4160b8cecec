import { useQuery } from '@tanstack/react-query'
import { ask, client } from '../shared/client'
import type { Desk } from './desk'
import { roleOf } from './desk'

const bones = (['L', 'R'] as const).flatMap((s) => [['shoulder', 'elbow'], ['elbow', 'wrist'], ['wrist', 'knuckle'], ['hip', 'knee'], ['knee', 'ankle'], ['ankle', 'heel'], ['ankle', 'toe'], ['shoulder', 'hip']].map(([a, b]) => [`${a}.${s}`, `${b}.${s}`]))

export const usePoses = (event: string, variant: string, view: string) =>
  useQuery({
    queryKey: ['poses', event, variant, view], staleTime: Infinity, retry: false,
    queryFn: () => ask(client.GET('/api/playbook/{event}/poses', { params: { path: { event }, query: { variant, view } } })),
  })

/** A small figure of a key position, as the simulated athlete stands in it; a right-hander, turned for a left-hander. */
export function Pose({ desk, place, size = 34 }: { desk: Desk; place: string; size?: number }) {
  const clip = desk.bench.clip
  const poses = usePoses(desk.bench.event, desk.bench.variant, clip?.view ?? 'side-open')
  const p = poses.data?.[place]
  if (!p) return null
  const flip = clip?.view.startsWith('side') ? !clip.rightward : desk.bench.side === 'L'
  const at = (name: string) => p[name] && [flip ? 1 - p[name][0] : p[name][0], p[name][1]]
  const turned = (name: string) => (desk.bench.side === 'L' ? name.replace(/\.[LR]$/, (s) => (s === '.L' ? '.R' : '.L')) : name)
  return (
    <svg viewBox="-0.02 -0.02 1.04 1.04" width={size} height={size} aria-hidden style={{ flex: 'none', overflow: 'visible' }}>
      {bones.map(([a, b]) => {
        const p = at(a), q = at(b)
        return p && q && <line key={a + b} x1={p[0]} y1={p[1]} x2={q[0]} y2={q[1]} stroke={`var(--chakra-colors-${roleOf(turned(a), desk.bench) === 'front' ? 'brick' : 'sky'})`} strokeWidth={0.035} strokeLinecap="round" />
      })}
      {at('neck') && at('vertex') && <circle cx={(at('neck')[0] + at('vertex')[0]) / 2} cy={(at('neck')[1] + at('vertex')[1]) / 2} r={0.06} fill="var(--chakra-colors-ink)" />}
      {at('implement') && at('implement')[0] > 0 && at('implement')[0] < 1 && <circle cx={at('implement')[0]} cy={at('implement')[1]} r={0.035} fill="none" stroke="var(--chakra-colors-ink)" strokeWidth={0.025} />}
    </svg>
  )
}
