import { useEffect, useLayoutEffect, useRef, type Dispatch } from 'react'
import type { Key } from '../ui/client'
import type { BenchContext, StageName } from './benchModel'
import type { BenchAction, BenchState } from './benchState'

type Props = {
  context?: BenchContext
  stage: StageName
  state: BenchState
  dispatch: Dispatch<BenchAction>
  /** The clip's rate is known: key positions can be stamped. */
  timed: boolean
  here?: Key
  next?: Key
  running: boolean
  setRunning: (run: boolean) => void
  step: (by: number) => void
  stamp: (keyId: string) => void
  unstamp: (keyId: string) => void
  nudge: (by: number) => void
  moveKey: (by: number) => void
  takeAll: () => void
  confirm: () => void
}

/** The keyboard of the Bench, wherever the focus is but in a field or a dialog. */
export function useBenchKeys(props: Props) {
  const pressed = useRef<(e: KeyboardEvent) => void>(undefined)
  useLayoutEffect(() => {
    pressed.current = (e) => press(e, props)
  })
  useEffect(() => {
    const key = (e: KeyboardEvent) => pressed.current?.(e)
    addEventListener('keydown', key)
    return () => removeEventListener('keydown', key)
  }, [])
}

/** Stamps the key position that a letter names. */
function name(letter: string, { context, dispatch, timed, stamp }: Props) {
  dispatch({ type: 'set', to: { naming: false } })
  const alike = context!.event.keys.filter((x) => x.letter === letter)
  const named = alike.find((x) => context!.bench.stamps[x.id] === undefined) ?? alike[0]
  if (named && timed) stamp(named.id)
}

/** A body is fitted to what there is now. */
const hasBody = ({ reading }: BenchContext) => !!reading?.space.fit?.made && !reading.space.fit.stale

function press(e: KeyboardEvent, props: Props) {
  const { context, stage, state, dispatch, timed, here, next, running } = props
  const el = e.target as HTMLElement
  const typing = el.closest('input, textarea, select, [role=dialog], [role=alertdialog]')
  if (e.ctrlKey || e.metaKey || e.altKey || typing || !context) return
  const k = e.key.toLowerCase()
  if (state.naming) {
    name(k, props)
    e.preventDefault()
    return
  }
  const acts: Record<string, () => void> = {
    s: () => (e.shiftKey ? props.nudge(-1) : props.step(-1)),
    d: () => (e.shiftKey ? props.nudge(1) : props.step(1)),
    w: () => props.moveKey(-1),
    e: () => props.moveKey(1),
    ' ': () => props.setRunning(!running),
    f: () => timed && next && props.stamp(next.id),
    g: () => dispatch({ type: 'set', to: { naming: timed } }),
    a: () => stage === 'split' && props.takeAll(),
    enter: () => stage === 'measure' && !running && props.confirm(),
    m: () => stage === 'watch' && dispatch({ type: 'toggle', what: 'mirror' }),
    b: () => hasBody(context) && dispatch({ type: 'toggle', what: 'fittedBody' }),
    l: () => dispatch({ type: 'set', to: { loop: undefined } }),
    x: () => here && props.unstamp(here.id),
    p: () => document.querySelector<SVGElement>('svg[role=application]')?.focus(),
    z: () => context.send({ kind: e.shiftKey ? 'redo' : 'undo' }),
    '?': () => dispatch({ type: 'set', to: { help: true } }),
    escape: () => dispatch({ type: 'letGo' }),
  }
  const pass = ['1', '2', '3', '4'].indexOf(k)
  const act = pass >= 0 ? () => dispatch({ type: 'pass', pass }) : acts[k]
  // A control keeps its own keys; the tab of the stage that is open has nothing to do with them.
  const control = el.closest(
    'button:not([aria-current=page]), summary, a:not([aria-current=page]), audio, [role=button]',
  )
  if (!act || ((k === ' ' || k === 'enter') && control)) return
  e.preventDefault()
  act()
}
