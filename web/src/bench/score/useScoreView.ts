import { useGesture } from '@use-gesture/react'
import { useEffect, useLayoutEffect, useMemo, useRef, useState } from 'react'
import type { Clip } from '../../ui/client'
import type { BenchContext } from '../benchModel'
import { left, right } from './layout'

/** How long a zoom must rest before the sheet is drawn anew, ms. */
const rests = 120
/** What is shown before the first and after the last stamp, s. */
const margin = 0.08
/** The shortest time that fills the score, s. */
const shortest = 0.06

/**
 * The stretch of time that the score shows, in seconds from its zero. A sheet
 * with hundreds of stamps is drawn anew once the zoom rests; until then it is
 * stretched to where it belongs.
 */
export function useScoreView(context: BenchContext, clip: Clip) {
  const box = useRef<HTMLDivElement>(null)
  const [width, setWidth] = useState(1280)
  const times = clip.times!
  const zero = context.reading?.zeroT ?? 0
  const first = times[0] - zero
  const last = times[times.length - 1] - zero
  const [view, setView] = useState<[number, number]>()

  useLayoutEffect(() => {
    const watch = new ResizeObserver(() => setWidth(box.current!.clientWidth))
    watch.observe(box.current!)
    return () => watch.disconnect()
  }, [])

  const keyTimes = context.reading?.keyTimes
  const fitted = useMemo<[number, number]>(() => {
    const open = context.event.keys.some((k) => !k.optional && context.bench.stamps[k.id] === undefined)
    if (!keyTimes || keyTimes.length < 2 || open) return [first, last] // the rest is still to be found
    const t = keyTimes.map((b) => b.t)
    return [Math.max(first, Math.min(...t) - margin), Math.min(last, Math.max(...t) + margin)]
  }, [keyTimes, context, first, last])
  const shown = view ?? fitted
  const [from, to] = shown
  const [[drawnFrom, drawnTo], setDrawn] = useState(shown)
  useEffect(() => {
    const soon = setTimeout(() => setDrawn(shown), rests)
    return () => clearTimeout(soon)
  }, [shown])
  const stretch = (drawnTo - drawnFrom) / (to - from)
  const shift = left * (1 - stretch) + ((drawnFrom - from) / (to - from)) * (width - left - right)

  const x = (t: number) => left + ((t - from) / (to - from)) * (width - left - right)
  const timeAt = (clientX: number) => {
    const r = box.current!.getBoundingClientRect()
    return from + ((clientX - r.left - left) / (width - left - right)) * (to - from)
  }
  /** The picture nearest to an instant. */
  const pictureAt = (t: number) => {
    let best = 0
    for (let i = 1; i < times.length; i++)
      if (Math.abs(times[i] - zero - t) < Math.abs(times[best] - zero - t)) best = i
    return clip.first + best
  }
  const zoomBy = (k: number, clientX: number) => {
    const t = timeAt(clientX)
    const span = Math.min(last - first, Math.max(shortest, (to - from) * k))
    const a = Math.min(last - span, Math.max(first, t - ((t - from) / (to - from)) * span))
    setView([a, a + span])
  }
  /** Zooms about the middle of the score. */
  const zoomMiddle = (k: number) => zoomBy(k, box.current!.getBoundingClientRect().left + (left + width) / 2)

  const pinching = useRef(false)
  useGesture(
    {
      onWheel: ({ event }) => {
        event.preventDefault()
        zoomBy(Math.exp(event.deltaY * 0.0015), event.clientX)
      },
      onPinch: ({ last, origin: [at], offset: [s], memo }) => {
        pinching.current = !last
        zoomBy(((memo as number | undefined) ?? s) / s, at)
        return s
      },
    },
    { target: box, eventOptions: { passive: false }, pinch: { pointer: { touch: true } } },
  )

  return {
    box,
    width,
    times,
    zero,
    from,
    to,
    drawn: { from: drawnFrom, to: drawnTo },
    /** What brings the drawn sheet to where it belongs. */
    transform: stretch === 1 && shift === 0 ? undefined : `translate(${shift} 0) scale(${stretch} 1)`,
    x,
    timeAt,
    pictureAt,
    zoomMiddle,
    pinching,
    zoomed: !!view,
    showStamps: () => setView(undefined),
    showAll: () => setView([first, last]),
    stamped: (keyTimes?.length ?? 0) > 1,
  }
}

export type ScoreView = ReturnType<typeof useScoreView>
