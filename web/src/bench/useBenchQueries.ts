import { useQuery } from '@tanstack/react-query'
import { useMemo } from 'react'
import { ask, client, type Bench } from '../ui/client'
import type { StageName } from './benchModel'
import type { BenchState } from './benchState'

const before = <T>(last: T | undefined) => last

/** The playbook that counts for the attempt. */
export const usePlaybook = (id: string, bench: Bench | undefined) =>
  useQuery({
    queryKey: ['playbook', bench?.event, bench?.variant, id],
    queryFn: () =>
      ask(
        client.GET('/api/playbook/{event}', {
          params: { path: { event: bench!.event }, query: { variant: bench!.variant, attempt: id } },
        }),
      ),
    enabled: !!bench,
    staleTime: Infinity,
  }).data

/** What the server knows besides the attempt and its reading: proposals, the other film, other attempts. */
export function useBenchQueries(
  id: string,
  bench: Bench | undefined,
  stage: StageName,
  state: BenchState,
  saving: boolean,
) {
  const clip = bench?.clip
  const timed = clip?.status === 'ready' && clip.captureRate > 0
  const path = { params: { path: { id } } }
  const found = useQuery({
    queryKey: ['proposals', id, bench?.version, bench?.other?.version],
    enabled: stage === 'split' && !!bench && !saving && timed,
    staleTime: Infinity,
    placeholderData: before,
    queryFn: () => ask(client.GET('/api/attempts/{id}/proposals', path)),
  }).data
  const proposals = useMemo(
    () =>
      stage === 'split' && bench ? (found?.proposals.filter((p) => bench.stamps[p.keyId] === undefined) ?? []) : [],
    [stage, bench, found],
  )
  const clocks = useQuery({
    queryKey: ['clocks', id, bench?.version, bench?.other?.version],
    enabled: !!bench?.other && timed,
    staleTime: Infinity,
    placeholderData: before,
    retry: false,
    queryFn: () => ask(client.GET('/api/attempts/{id}/clocks', path)),
  }).data
  const other = useQuery({
    queryKey: ['bench-of', bench?.other?.id, bench?.other?.version],
    enabled: state.secondView && !!bench?.other,
    queryFn: () => ask(client.GET('/api/attempts/{id}', { params: { path: { id: bench!.other!.id } } })),
  }).data
  const all = useQuery({
    queryKey: ['sheet', id, 'all'],
    enabled: stage === 'split' && !!bench,
    staleTime: 60_000,
    queryFn: () => ask(client.GET('/api/attempts/{id}/sheet', { params: { path: { id }, query: { all: true } } })),
  }).data
  const voiceReading = useQuery({
    queryKey: ['voice', state.secondVoice],
    enabled: !!state.secondVoice,
    retry: false,
    queryFn: () => ask(client.GET('/api/attempts/{id}/reading', { params: { path: { id: state.secondVoice! } } })),
  }).data
  const voiceOf = all?.find((c) => c.id === state.secondVoice)
  const voice = useMemo(
    () =>
      voiceReading && voiceOf
        ? { name: `no. ${voiceOf.number}, ${voiceOf.day}`, reading: voiceReading }
        : undefined,
    [voiceReading, voiceOf],
  )
  /** Other attempts that the score can show beside this one. */
  const siblings = useMemo(
    () => all?.filter((c) => c.id !== id && Object.keys(c.stamps).length > 1) ?? [],
    [all, id],
  )
  return { found, proposals, clocks, other, siblings, voice }
}

export type BenchQueries = ReturnType<typeof useBenchQueries>
