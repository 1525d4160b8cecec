import { useCallback, type Dispatch, type RefObject } from 'react'
import type { Key } from '../ui/client'
import { inHand, type BenchContext, type StageName } from './benchModel'
import type { BenchAction } from './benchState'

type Props = {
  context?: BenchContext
  stage: StageName
  keyId?: string
  here?: Key
  /** The picture shown now, however fast the keys come. */
  now: RefObject<number>
  dispatch: Dispatch<BenchAction>
}

/** Stamping key positions, and walking from one to the next. */
export function useKeyPositions({ context, stage, keyId, here, now, dispatch }: Props) {
  const send = context?.send
  const stamp = useCallback(
    (id: string) => {
      send?.({ kind: 'stamp', keyId: id, frame: now.current })
      dispatch({ type: 'set', to: { keyId: id } })
    },
    [send, now, dispatch],
  )
  const unstamp = useCallback((id: string) => send?.({ kind: 'stamp', keyId: id }), [send])

  const stampAt = useCallback(
    (id: string, frame: number) => {
      send?.({ kind: 'stamp', keyId: id, frame })
      dispatch({ type: 'set', to: { keyId: id } })
    },
    [send, dispatch],
  )

  /** Goes on to the key position so many further up or down the ladder. */
  const moveKey = useCallback(
    (by: number) => {
      if (!context) return
      const { event, bench, visit } = context
      const all = stage === 'split' ? event.keys : event.keys.filter((k) => bench.stamps[k.id] !== undefined)
      const i = all.findIndex((k) => k.id === inHand(context, now.current, keyId).current)
      let j = i + by
      if (i < 0) {
        const after = all.findIndex((k) => (bench.stamps[k.id] ?? -1) > now.current)
        j = after < 0 ? all.length - 1 : by > 0 ? after : after - 1
      }
      const to = all[Math.min(all.length - 1, Math.max(0, j))]
      if (to) visit(to.id)
    },
    [context, keyId, stage, now],
  )

  /** Moves the stamp of the key position in hand by pictures, and shows where it went. */
  const nudge = useCallback(
    (by: number) => {
      const at = here && context?.bench.stamps[here.id]
      const clip = context?.bench.clip
      if (!here || at === undefined || !clip) return
      const to = Math.min(clip.first + clip.frames - 1, Math.max(clip.first, at + by))
      stampAt(here.id, to)
      context.go(to)
    },
    [here, context, stampAt],
  )

  return { stamp, unstamp, stampAt, moveKey, nudge }
}
