import type { BenchContext } from './benchModel'
import { roleOf } from './benchModel'
import { Figure, usePoses } from '../ui/Figure'

/** A key position as the simulated athlete stands in it; a right-hander, turned for a left-hander. */
export function KeyPoseIcon({
  context,
  place,
  size = 34,
}: {
  context: BenchContext
  place: string
  size?: number
}) {
  const clip = context.bench.clip
  const poses = usePoses(context.bench.event, context.bench.variant, clip?.view ?? 'side-open')
  const p = poses.data?.[place]
  if (!p) return null
  const flip = clip?.view.startsWith('side') ? !clip.rightward : context.bench.side === 'L'
  const pose = flip ? Object.fromEntries(Object.entries(p).map(([k, [x, y]]) => [k, [1 - x, y]])) : p
  const turned = (name: string) =>
    context.bench.side === 'L' ? name.replace(/\.[LR]$/, (s) => (s === '.L' ? '.R' : '.L')) : name
  return (
    <svg
      viewBox="-0.02 -0.02 1.04 1.04"
      width={size}
      height={size}
      aria-hidden
      style={{ flex: 'none', overflow: 'visible' }}
    >
      <Figure pose={pose} colour={(l) => (roleOf(turned(l), context.bench) === 'front' ? 'brick' : 'sky')} />
    </svg>
  )
}
