import { useQuery, useQueryClient } from '@tanstack/react-query'
import { useState } from 'react'
import { ask, client, type Schemas } from '../ui/client'
import { plus } from './days'

export type Item = Schemas['PlanItem']
export type Phase = Schemas['SeasonPhase']

export const kinds = {
  drill: 'drill',
  strength: 'strength',
  session: 'session',
  meet: 'meet',
  refilm: 'film again',
} as const

export const signs = { drill: '○', strength: '▲', session: '□', meet: '★', refilm: '◉' } as const

/** How many weeks are shown at once. */
export const weeks = 5

/** What was done last, in words, and how it is taken back. */
type Said = { text: string; undo?: () => void; bad?: boolean }

/** The plan from a Monday on, and the changes that can be made and taken back. */
export function usePlan(from: string, athlete: string) {
  const queries = useQueryClient()
  const to = plus(from, 7 * weeks - 1)
  const plan = useQuery({
    queryKey: ['plan', from, athlete],
    queryFn: () => ask(client.GET('/api/plan', { params: { query: { from, to, athlete: athlete || undefined } } })),
    placeholderData: (d) => d,
    refetchOnMount: 'always',
  })
  const [said, setSaid] = useState<Said>()
  const refresh = () => queries.invalidateQueries({ queryKey: ['plan'] })
  const act = async (what: () => Promise<unknown>, text: string, undo?: () => void) => {
    try {
      await what()
      setSaid({ text, undo })
    } catch (e) {
      setSaid({ text: (e as Error).message, bad: true })
    }
    await refresh()
  }
  const put = (i: Item) => ask(client.PUT('/api/plan/{id}', { params: { path: { id: i.id } }, body: i }))
  const post = (i: Item) => ask(client.POST('/api/plan', { body: [i] }))
  const drop = (i: Item) => ask(client.DELETE('/api/plan/{id}', { params: { path: { id: i.id } } }))

  const change = (i: Item, more: Partial<Item>, text: string) => {
    const back = () => void act(() => put({ ...i, version: (i.version ?? 0) + 1 }), 'Taken back')
    return act(() => put({ ...i, ...more }), text, back)
  }
  const add = (i: Item, text: string) =>
    act(
      () => post(i),
      text,
      () => void act(() => drop(i), 'Taken back'),
    )
  const erase = (i: Item) => {
    const back = () => void act(() => post({ ...i, version: 0 }), 'Back on the plan')
    return act(() => drop(i), 'Taken off the plan', back)
  }
  return { plan: plan.data, error: plan.error, to, said, change, add, erase, refresh }
}
