import { useEffect, useRef } from 'react'
import type { BenchContext, StageName } from './benchModel'

/** The share of a film that may go by unseen between two pictures shown: a film run at real speed skips some. */
const skipped = 0.1

/** Notes a pass as watched once its pictures have been shown from the first to the last. */
export function useWatched(context: BenchContext | undefined, stage: StageName, frame: number, pass: number) {
  const seen = useRef(new Set<number>())
  const clip = context?.bench.clip
  const name = context?.event.watch[pass]?.name
  useEffect(() => seen.current.clear(), [name, clip?.id, stage])
  useEffect(() => {
    if (stage !== 'watch' || !context || !clip?.times || !name) return
    seen.current.add(frame)
    const watched = context.bench.calibration.watched ?? []
    if (frame !== clip.first + clip.frames - 1 || watched.includes(name)) return
    const shown = [clip.first - 1, ...[...seen.current].sort((a, b) => a - b)]
    const most = Math.max(8, skipped * clip.frames)
    if (shown.every((n, i) => i === 0 || n - shown[i - 1] <= most))
      context.send({ kind: 'watched', passes: [...watched, name] })
  }, [context, clip, name, frame, stage])
}
