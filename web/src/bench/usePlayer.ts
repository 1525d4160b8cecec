import { useCallback, useEffect, useRef, useState } from 'react'
import type { Clip } from '../ui/client'
import { Frames, decoding } from './frames'

const stepEvery = 0.25 // s between pictures when every one is shown
const screen = 1 / 60 // s, a display frame

/** Pictures that are run through again and again. */
export type Loop = { from: number; to: number; name: string }

/**
 * Which picture is shown, and running through them by their true times at a
 * share of real speed; 0 shows every picture.
 */
export function usePlayer(clip: Clip | undefined, speed: number, loop: Loop | undefined) {
  const [frame, setFrame] = useState(0)
  const [running, setRunning] = useState(false)
  const [arrivals, setArrivals] = useState(0)
  const [frames, setFrames] = useState<Frames>()
  const id = clip?.status === 'ready' ? clip.id : undefined
  const first = clip?.first ?? 0
  const end = first + (clip?.frames ?? 1) - 1
  const version = clip ? decoding(clip) : ''

  const at = useRef(frame)
  useEffect(() => {
    if (!id) return
    const f = new Frames(id, first, end, version, () => setArrivals((n) => n + 1))
    setFrames(f)
    at.current = Math.min(end, Math.max(first, at.current))
    setFrame(at.current)
    f.look(at.current)
    return () => f.close()
  }, [id, first, end, version])

  const show = useCallback(
    (n: number, stride = 1) => {
      const to = Math.min(end, Math.max(first, n))
      if (to === at.current) return
      at.current = to
      frames?.look(to, stride)
      frames?.paint?.(to)
      setFrame(to)
    },
    [first, end, frames],
  )
  const go = useCallback(
    (n: number) => {
      setRunning(false)
      show(n)
    },
    [show],
  )

  const times = clip?.times
  const from = loop?.from ?? first
  const to = loop?.to ?? end
  const looped = !!loop
  useEffect(() => {
    if (!running || !times) return
    let start = at.current >= to || at.current < from ? from : at.current
    show(start)
    let began = performance.now()
    const mean = (times[times.length - 1] - times[0]) / (times.length - 1)
    const stride = speed ? Math.max(1, Math.round((speed * screen) / mean)) : 1
    let handle = 0
    const tick = () => {
      const passed = (performance.now() - began) / 1000
      let n = start
      if (!speed) n = Math.min(to, n + Math.floor(passed / stepEvery))
      else while (n < to && times[n + 1 - first] <= times[start - first] + passed * speed) n++
      show(n, stride)
      if (n >= to && !looped) {
        setRunning(false)
        return
      }
      if (n >= to) {
        start = from
        began = performance.now()
      }
      handle = requestAnimationFrame(tick)
    }
    handle = requestAnimationFrame(tick)
    return () => cancelAnimationFrame(handle)
  }, [running, speed, times, first, from, to, looped, show])

  /** Steps from the picture shown now, however fast the keys come. */
  const step = useCallback((by: number) => go(at.current + by), [go])

  return { frame, now: at, go, step, running, setRunning, frames, arrivals }
}
