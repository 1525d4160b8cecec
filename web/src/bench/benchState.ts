import { useReducer } from 'react'
import type { Judged } from '../ui/client'
import { passes, type Tool, type Trails } from './benchModel'
import type { ReferencePoint } from './panels/ReferenceLine'
import type { Loop } from './usePlayer'

/** What is open, chosen and in hand on the Bench. What is put in lies in the bench itself. */
export type BenchState = {
  /** Which pass of Watch, and at what share of real speed the film runs. */
  pass: number
  speed: number
  loop?: Loop
  /** Contacts are heard. */
  rhythm: boolean
  mirror: boolean
  reference?: ReferencePoint
  /** The second film is shown beside the picture. */
  secondView: boolean
  /** The fitted body is shown in the place of the picture. */
  fittedBody: boolean
  /** The attempt that is the score's second voice. */
  secondVoice?: string
  /** The key position that was chosen. */
  keyId?: string
  /** A landmark that was chosen on a picture. */
  picked?: { frame: number; name: string }
  tool?: Tool
  /** The value whose derivation is open. */
  opened?: string
  /** Values while a landmark moves. */
  preview?: Judged[]
  trails: Trails
  help: boolean
  /** The next letter names the key position that is stamped. */
  naming: boolean
}

export type BenchAction =
  | { type: 'pass'; pass: number }
  | { type: 'loop'; loop: Loop }
  | { type: 'toggle'; what: 'rhythm' | 'mirror' | 'secondView' | 'fittedBody' }
  | { type: 'set'; to: Partial<Omit<BenchState, 'pass'>> }
  | { type: 'letGo' }

const initial: BenchState = {
  pass: 0,
  speed: passes[0].speed,
  rhythm: false,
  mirror: false,
  secondView: false,
  fittedBody: false,
  trails: 'one',
  help: false,
  naming: false,
}

function reduce(s: BenchState, a: BenchAction): BenchState {
  switch (a.type) {
    case 'pass':
      return { ...s, pass: a.pass, speed: passes[a.pass].speed }
    case 'loop': // the same one again ends it
      return { ...s, loop: s.loop?.name === a.loop.name ? undefined : a.loop }
    case 'toggle':
      return { ...s, [a.what]: !s[a.what] }
    case 'letGo':
      return { ...s, tool: undefined, picked: undefined }
    case 'set':
      return { ...s, ...a.to }
  }
}

export const useBenchState = () => useReducer(reduce, initial)
