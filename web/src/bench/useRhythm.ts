import { useEffect, useRef } from 'react'
import type { Reading } from '../ui/client'

const tone = { front: 1320, rear: 880 } // Hz: each foot has its own
const lasts = 0.04 // s

/** Clicks when a running film passes the beginning of a contact, at whatever speed. */
export function useRhythm(on: boolean, reading: Reading | undefined, frame: number, running: boolean) {
  const sound = useRef<AudioContext>(undefined)
  const before = useRef(frame)
  useEffect(() => {
    const from = before.current
    before.current = frame
    if (!on || !running || !reading || frame <= from || frame - from > 30) return
    for (const n of reading.contacts) {
      const at = reading.keyTimes.find((b) => b.keyId === n.from)?.frame
      if (at === undefined || at <= from || at > frame) continue
      const c = (sound.current ??= new AudioContext())
      const o = c.createOscillator(),
        g = c.createGain()
      o.frequency.value = tone[n.foot as keyof typeof tone]
      g.gain.setValueAtTime(0.3, c.currentTime)
      g.gain.exponentialRampToValueAtTime(0.001, c.currentTime + lasts)
      o.connect(g).connect(c.destination)
      o.start()
      o.stop(c.currentTime + lasts)
    }
  }, [on, reading, frame, running])
  useEffect(() => () => void sound.current?.close(), [])
}
