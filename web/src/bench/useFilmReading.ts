import { useQuery } from '@tanstack/react-query'
import { useEffect, useRef } from 'react'
import { ask, client, type Bench, type Followed, type Task } from '../ui/client'

const before = <T>(last: T | undefined) => last

export const isBusy = (t: Task | undefined) => t?.state === 'waiting' || t?.state === 'running'

/** How often, ms, a film that is being looked at is asked after. */
const often = 700

/** The last finding or following of an attempt's points; while one is under way, how far it is. */
export function useFollowing(id: string, enabled: boolean): Task | undefined {
  return useQuery({
    queryKey: ['followings', id],
    enabled,
    queryFn: () => ask(client.GET('/api/attempts/{id}/followings', { params: { path: { id } } })),
    refetchInterval: (q) => (isBusy(q.state.data?.[0]) ? often : false),
  }).data?.[0]
}

/**
 * Where found and followed points are. What a run found never changes; the points that the coach places on found
 * paths move their neighbours; while the film is looked at, there is what was found so far.
 */
export function useFilmReading(id: string, kept: Bench | undefined, saving: boolean, onDone: () => void) {
  const ready = kept?.clip?.status === 'ready'
  const task = useFollowing(id, ready)
  const busy = isBusy(task)
  const was = useRef(busy)
  useEffect(() => {
    if (was.current && !busy) onDone() // the attempt is measured with the new paths
    was.current = busy
  }, [busy, onDone])

  const run = kept?.calibration.following
  const found = useQuery({
    queryKey: ['paths', run],
    enabled: !!run,
    staleTime: Infinity,
    queryFn: () => ask(client.GET('/api/followings/{id}/paths', { params: { path: { id: run! } } })),
  }).data
  const mends = !!run && !!found && !!kept && mended(kept, found)
  const path = { params: { path: { id } } }
  const now = useQuery({
    queryKey: ['paths', run, 'mended', kept?.version],
    enabled: mends && !saving,
    staleTime: Infinity,
    placeholderData: before,
    queryFn: () => ask(client.GET('/api/attempts/{id}/paths', path)),
  }).data
  const soFar = useQuery({
    queryKey: ['paths', 'so far', id],
    enabled: !run && busy && (task?.done ?? 0) > 0,
    refetchInterval: 2 * often,
    placeholderData: before,
    queryFn: () => ask(client.GET('/api/attempts/{id}/paths', path)),
  }).data
  return { task, paths: run ? (mends && now ? now : found) : busy && soFar?.paths.length ? soFar : undefined }
}

/** Whether the coach has placed a point of which a path was found. */
function mended(bench: Bench, found: Followed) {
  const names = new Set(found.paths.filter((p) => p.source === 'detected').map((p) => p.name))
  return bench.landmarks.some((l) => names.has(l.name))
}
