import { useSyncExternalStore } from 'react'
import { v7 as newId } from 'uuid'
import { ask, client, Refused, type Clip } from './client'

/** A film on its way to the server. */
export type Upload = { attempt: string; clip: string; file: File; sent: number; waiting?: string; error?: string }

let all: Upload[] = []
const hearers = new Set<() => void>()
const stops = new Map<string, () => void>()

const tell = (clip: string, more: Partial<Upload>) => {
  all = all.map((u) => (u.clip === clip ? { ...u, ...more } : u))
  hearers.forEach((h) => h())
}
const drop = (clip: string) => {
  all = all.filter((u) => u.clip !== clip)
  stops.delete(clip)
  hearers.forEach((h) => h())
}

const hear = (h: () => void) => {
  hearers.add(h)
  return () => hearers.delete(h)
}

/** All films on their way; they go on while the coach works elsewhere. */
export const useUploads = () => useSyncExternalStore(hear, () => all)

addEventListener('beforeunload', (e) => all.some((u) => !u.error) && e.preventDefault())

/** Sends a film for an attempt, or goes on with one whose first bytes are there. */
export async function send(attempt: string, file: File, begun?: Clip): Promise<void> {
  const clip = begun?.id ?? newId()
  all = [...all.filter((u) => u.attempt !== attempt), { attempt, clip, file, sent: begun?.received ?? 0 }]
  hearers.forEach((h) => h())
  try {
    await push(attempt, clip, file, !!begun)
    drop(clip)
  } catch (e) {
    if (stops.get(clip) === cancelled) drop(clip)
    else tell(clip, { error: (e as Error).message })
  }
}

/** Throws what is wrong with a file that is no film, before anything is logged for it. */
export async function check(file: File) {
  const bytes = new Uint8Array(await file.slice(0, 4096).arrayBuffer())
  const head = btoa(String.fromCharCode(...bytes))
  await ask(client.POST('/api/film-check', { body: { name: file.name, bytes: file.size, head } }))
}

const cancelled = () => undefined

/** Stops a film on its way and takes what arrived off the server. */
export async function cancel(clip: string) {
  const stop = stops.get(clip)
  stops.set(clip, cancelled)
  stop?.()
  await ask(client.DELETE('/api/clips/{id}', { params: { path: { id: clip } } })).catch(() => undefined)
  drop(clip)
}

/** Forgets a film that could not be sent. */
export const forget = drop

const longestWait = 15_000

/** Declares the film and sends what the server has not acknowledged; when the line drops, it waits and goes on. */
async function push(attempt: string, clip: string, file: File, declared: boolean) {
  for (let misses = 0; ;) {
    if (stops.get(clip) === cancelled) throw new Error('cancelled')
    let from = 0
    try {
      if (!declared)
        await ask(
          client.POST('/api/attempts/{id}/clips', {
            params: { path: { id: attempt } },
            body: { id: clip, name: file.name, bytes: file.size },
          }),
        )
      declared = true
      const now = await ask(client.GET('/api/clips/{id}', { params: { path: { id: clip } } }))
      if (now.status !== 'uploading') return
      if (now.received > from) misses = 0
      from = now.received
      tell(clip, { sent: from, waiting: undefined })
      await put(clip, from, file.slice(from), (n) => tell(clip, { sent: from + n }))
      return
    } catch (e) {
      if (e instanceof Refused && e.status < 500) throw e
      if (stops.get(clip) === cancelled) throw e
      misses++
      tell(clip, { sent: from, waiting: 'The line dropped. What arrived is kept; the rest follows by itself.' })
      await new Promise((done) => setTimeout(done, Math.min(longestWait, 500 * 2 ** misses)))
    }
  }
}

function put(clip: string, from: number, part: Blob, progress: (sent: number) => void): Promise<void> {
  return new Promise((resolve, reject) => {
    const x = new XMLHttpRequest()
    stops.set(clip, () => x.abort())
    x.open('PUT', `/api/clips/${clip}/bytes?from=${from}`)
    x.setRequestHeader('Content-Type', 'application/octet-stream')
    x.responseType = 'json'
    x.upload.onprogress = (e) => progress(e.loaded)
    x.onload = () =>
      x.status === 200
        ? resolve()
        : reject(new Refused(x.response?.message ?? `the server answered ${x.status}`, x.status))
    x.onerror = x.onabort = () => reject(new Error('the line dropped'))
    x.send(part)
  })
}
