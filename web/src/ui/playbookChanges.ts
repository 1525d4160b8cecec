import { useQuery } from '@tanstack/react-query'
import { ask, client, working, type Schemas } from './client'
import { inUnit } from './format'

export const useChanges = (event: string) =>
  useQuery({
    queryKey: ['playbook changes', event],
    queryFn: () => ask(client.GET('/api/playbook/{event}/changes', { params: { path: { event } } })),
    refetchInterval: (q) => (working(q.state.data?.judging) ? 1000 : false),
  })

type Band = Schemas['Band']

/** A band in words, as in "38.0° to 50.0°". */
export function range(b: Band, unit: string) {
  if (b.low !== undefined && b.high !== undefined) return `${inUnit(b.low, unit)} to ${inUnit(b.high, unit)}`
  return b.low !== undefined ? `${inUnit(b.low, unit)} or more` : `${inUnit(b.high!, unit)} or less`
}
