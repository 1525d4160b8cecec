import type { Bench, Command } from '../ui/client'
import { effects } from './effects.gen'

type Json = Record<string, unknown>

/** What a command does to a breakdown: see core/breakdown/effects.go. */
type Effect = {
  field?: string
  map?: string
  list?: string
  value?: string
  key?: string
  merge?: boolean
  each?: string
  match?: readonly string[]
  entry?: Readonly<Record<string, string>>
  with?: Readonly<Json>
}

const property = (of: Json, path: string): unknown =>
  path.split('.').reduce<unknown>((v, part) => (v as Json | undefined)?.[part], of)

/** A copy of an object with one entry set; undefined or null takes it off. */
function put(object: Json, key: string, value: unknown): Json {
  const next = { ...object }
  if (value === undefined || value === null) delete next[key]
  else next[key] = value
  return next
}

/** What the Bench will look like once a command has gone through. */
export function foresee(bench: Bench, command: Command): Bench {
  const e = (effects as Record<string, Effect>)[command.kind]
  if (!e) return bench
  const b: Json = { ...bench }
  const c = command as Json
  if (e.field) {
    const [outer, inner] = e.field.split('.')
    const value = property(c, e.value!)
    b[outer] = inner ? put(b[outer] as Json, inner, value) : value
  } else if (e.map && e.merge) {
    const entries = Object.entries(property(c, e.value!) as Json)
    b[e.map] = entries.reduce((all, [k, v]) => put(all, k, v), b[e.map] as Json)
  } else if (e.map) {
    b[e.map] = put(b[e.map] as Json, String(property(c, e.key!)), property(c, e.value!))
  } else if (e.list) {
    const things = (e.each ? property(c, e.each) : [c]) as Json[]
    b[e.list] = things.reduce((list, thing) => {
      const entry: Json = { ...e.with }
      for (const [field, from] of Object.entries(e.entry!)) entry[field] = property(thing, from)
      const others = list.filter((old) => e.match!.some((m) => old[m] !== entry[m]))
      return property(thing, e.value!) === undefined ? others : [...others, entry]
    }, b[e.list] as Json[])
  }
  return b as Bench
}
