import type { Schemas } from '../ui/client'

export type Event = Schemas['Event']
export type Fault = Event['faults'][number]

/** The name of a key position, fault or node; of a repeated one the first. */
export function nameOf(e: Event, id: string) {
  return (
    e.keys.find((k) => k.id === id)?.name ??
    e.keys.find((k) => k.id === `${id}#1`)?.name.replace(/ 1$/, '') ??
    e.faults.find((f) => f.id === id)?.name.toLowerCase() ??
    e.nodes?.find((n) => n.id === id)?.name ??
    id
  )
}
