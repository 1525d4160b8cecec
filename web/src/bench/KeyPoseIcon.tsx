import type { BenchContext } from './benchModel'
import { roleOf } from './benchModel'
import { Figure, pointsOf, usePoses } from '../ui/Figure'

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
  const turned = (name: string) =>
    context.bench.side === 'L' ? name.replace(/\.[LR]$/, (s) => (s === '.L' ? '.R' : '.L')) : name
  const at = Object.fromEntries(
    Object.entries(pointsOf(p)).map(([name, { x, y }]) => [name, { x: flip ? 1 - x : x, y }]),
  )
  return (
    <svg
      viewBox="-0.02 -0.02 1.04 1.04"
      width={size}
      height={size}
      aria-hidden
      style={{ flex: 'none', overflow: 'visible' }}
    >
      <Figure at={at} role={(l) => roleOf(turned(l), context.bench)} width={0.033} plain />
    </svg>
  )
}
