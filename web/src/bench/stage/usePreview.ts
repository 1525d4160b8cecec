import { useEffect, useRef } from 'react'
import { ask, client, type Judged, type Landmark, type Spot } from '../../ui/client'
import { placedMark } from '../benchModel'

/** Asks the server for the numbers of a landmark that is still moving, one question at a time. */
export function usePreview(
  id: string,
  frame: number,
  moving: { name: string; at: Spot } | undefined,
  tell: (v: Judged[] | undefined) => void,
) {
  const busy = useRef(false)
  const latest = useRef(moving)
  useEffect(() => {
    latest.current = moving
  }, [moving])
  useEffect(() => {
    if (!moving || busy.current) return
    const run = async () => {
      busy.current = true
      let asked: typeof moving | undefined
      while (latest.current && latest.current !== asked) {
        const now: { name: string; at: Spot } = latest.current
        asked = now
        try {
          const landmarks: Landmark[] = [placedMark(frame, now.name, now.at)]
          const values = await ask(
            client.POST('/api/attempts/{id}/preview', { params: { path: { id } }, body: { frame, landmarks } }),
          )
          if (latest.current) tell(values)
        } catch {
          break // the number follows on release
        }
      }
      busy.current = false
    }
    void run()
  }, [id, frame, moving, tell])
  return { end: () => tell(undefined) }
}
