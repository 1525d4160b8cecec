import { createContext, useContext } from 'react'
import type { Reading, Schemas } from './client'
import { inUnit, plusMinus } from './format'

export type Dial = NonNullable<Schemas['State']['dial']>

/** How directions are read, and what the reading says of them. */
export const DialContext = createContext<{ dial: Dial; dials?: Reading['dials'] }>({ dial: 'degrees' })

/** A value in words: a direction off the clock face that its coach reads, anything else in its unit. */
export function useSaid() {
  const { dial, dials } = useContext(DialContext)
  return (v: { key: string; value: number; u: number; unit: string }) => {
    const d = dials?.[v.key]
    if (!d) return { value: inUnit(v.value, v.unit), within: plusMinus(v.u, v.unit) }
    if (dial === 'degrees') return { value: inUnit(d.degrees, v.unit), within: plusMinus(v.u, v.unit) }
    return { value: `${dial === 'clock-a' ? d.a : d.b} o’clock`, within: `± ${d.within}` }
  }
}
