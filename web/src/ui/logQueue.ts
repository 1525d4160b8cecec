import { useSyncExternalStore } from 'react'
import { ask, client, Refused, type Schemas } from './client'

/** What was noted and is not on the server yet, in the order in which it was noted. */
export type Noted =
  | { kind: 'session'; id: string; body: Schemas['SessionNote']; refused?: string }
  | { kind: 'attempt'; id: string; body: Schemas['NewAttempt']; athlete: string; refused?: string }

const shelf = 'neokinema log'
let all: Noted[] = read()
let away = ''
const hearers = new Set<() => void>()

function read(): Noted[] {
  try {
    return JSON.parse(localStorage.getItem(shelf) ?? '[]')
  } catch {
    return []
  }
}

/** Changes the queue as it stands on the shelf now, which other tabs share. */
function change(how: (list: Noted[]) => Noted[]) {
  all = how(read())
  localStorage.setItem(shelf, JSON.stringify(all))
  hearers.forEach((h) => h())
}

addEventListener('storage', (e) => {
  if (e.key !== shelf) return
  all = read()
  hearers.forEach((h) => h())
})
addEventListener('online', () => void send())
setInterval(() => all.some((n) => !n.refused) && void send(), 4000)

const hear = (h: () => void) => {
  hearers.add(h)
  return () => hearers.delete(h)
}

export const useQueue = () => useSyncExternalStore(hear, () => all)
/** Why the server is not reached; empty: it is. */
export const useAway = () => useSyncExternalStore(hear, () => away)

/** Keeps a note in the browser, then sends it. */
export function note(n: Noted) {
  change((list) => [...list.filter((o) => o.id !== n.id), n])
  void send()
}

export const forget = (id: string) => change((list) => list.filter((n) => n.id !== id))

/** Hears what arrived. */
export const arrived = new Set<() => void>()

/** Sends what waits, one after the other; only one tab sends at a time. Ids make sending twice harmless. */
async function send() {
  // Without a secure address a browser has no locks; then every tab sends, which is harmless.
  if (!navigator.locks) return sendAll()
  await navigator.locks.request(shelf, { ifAvailable: true }, async (lock) => {
    if (lock) await sendAll()
  })
}

async function sendAll() {
  for (;;) {
    const next = read().find((n) => !n.refused)
    if (!next) return
    try {
      await (next.kind === 'session'
        ? ask(client.PUT('/api/sessions', { body: next.body }))
        : ask(client.POST('/api/attempts', { body: next.body })))
      away = ''
      change((list) => list.filter((n) => n.id !== next.id))
      arrived.forEach((h) => h())
    } catch (e) {
      const status = e instanceof Refused ? e.status : 0
      if (status >= 400 && status < 500 && status !== 401 && status !== 429) {
        away = ''
        change((list) => list.map((n) => (n.id === next.id ? { ...n, refused: (e as Error).message } : n)))
        continue
      }
      away = status === 401 ? 'you are signed out: sign in again, nothing is lost' : 'the server is not reached'
      hearers.forEach((h) => h())
      return
    }
  }
}
