import { useQuery } from '@tanstack/react-query'
import { useCallback, useEffect, useLayoutEffect, useRef, useState } from 'react'
import { v7 as newId } from 'uuid'
import { ask, client, type Bench, type Command, type Reading, type Schemas } from '../ui/client'
import { foresee } from './foresee'
import { useFilmReading } from './useFilmReading'

type Sent = Command & { id: string }
type ConflictDialog = { theirs: Bench; mine: Sent }

const retryAfter = 1500

/**
 * The attempt on the Bench. Commands go to the server one after the other; what
 * it has not taken yet is shown already, and is sent again when the line drops.
 */
export function useBench(id: string) {
  const [kept, setKept] = useState<Bench>()
  const [waiting, setWaiting] = useState<Sent[]>([])
  const [failure, setFailure] = useState<Error>()
  const [refusal, setRefusal] = useState('')
  const [offline, setOffline] = useState(false)
  const [clash, setClash] = useState<ConflictDialog>()
  const [attempt, setAttempt] = useState(0)
  const sending = useRef<string>(undefined)

  const reload = useCallback(async () => {
    try {
      setKept(await ask(client.GET('/api/attempts/{id}', { params: { path: { id } } })))
    } catch (e) {
      setFailure(e as Error)
    }
  }, [id])
  useEffect(() => void reload(), [reload])

  const first = waiting[0]
  useEffect(() => {
    if (!first || !kept || clash || sending.current === first.id) return
    sending.current = first.id
    const done = () => {
      sending.current = undefined
      setWaiting((w) => w.slice(1))
      setOffline(false)
    }
    const again = () => {
      setOffline(true)
      setTimeout(() => {
        sending.current = undefined
        setAttempt((n) => n + 1)
      }, retryAfter)
    }
    client
      .POST('/api/attempts/{id}/commands', { params: { path: { id } }, body: { ...first, version: kept.version } })
      .then(({ data, error, response }) => {
        if (data) {
          setKept(data)
          done()
        } else if (response.status === 409 && (error as Schemas['Conflict']).theirs) {
          const theirs = (error as Schemas['Conflict']).theirs!
          sending.current = undefined
          // Paths that came in from the background are nobody's change to decide on.
          if (theirs.version === kept.version + 1 && theirs.undo === 'following') setKept(theirs)
          else setClash({ theirs, mine: first })
        } else if (response.status >= 500) again()
        else {
          setRefusal((error as Schemas['Problem'] | undefined)?.message ?? `the server answered ${response.status}`)
          done()
        }
      }, again)
  }, [id, first, kept, clash, attempt])

  // At once with what the screen says: who reads "Saved" may leave.
  useLayoutEffect(() => {
    if (waiting.length === 0) return
    const hold = (e: BeforeUnloadEvent) => e.preventDefault()
    addEventListener('beforeunload', hold)
    return () => removeEventListener('beforeunload', hold)
  }, [waiting.length])

  const send = useCallback((c: Command) => {
    setRefusal('')
    setWaiting((w) => [...w, { ...c, id: newId() }])
  }, [])

  const settle = (mineAgain: boolean) => {
    if (!clash) return
    setKept(clash.theirs)
    if (!mineAgain) setWaiting([])
    setClash(undefined)
  }

  const clip = kept?.clip
  const readable = clip?.status === 'ready' && clip.captureRate > 0
  const reading = useQuery<Reading>({
    queryKey: ['reading', id, kept?.version, clip?.id, kept?.other?.version],
    queryFn: () => ask(client.GET('/api/attempts/{id}/reading', { params: { path: { id } } })),
    enabled: readable && waiting.length === 0,
    placeholderData: (before) => (readable ? before : undefined),
    staleTime: Infinity,
  })

  const film = useFilmReading(id, kept, waiting.length > 0, reload)

  return {
    ...film,
    bench: kept && waiting.reduce(foresee, kept),
    reading: readable ? reading.data : undefined,
    saving: waiting.length > 0,
    failure: failure ?? (reading.error as Error | null) ?? undefined,
    refusal,
    offline,
    clash,
    settle,
    send,
    reload,
    forgive: () => setRefusal(''),
  }
}
