import createClient from 'openapi-fetch'
import type { components, paths } from './api.gen'

export type Schemas = components['schemas']
export type Bench = Schemas['Bench']
export type Reading = Schemas['Reading']
export type Judged = Schemas['Judged']
export type Event = Schemas['Event']
export type Key = Event['keys'][number]
export type Clip = Schemas['Clip']
type Content<C> = C extends unknown ? Omit<C, 'id' | 'version'> : never
/** A change of the attempt, without what the Bench adds when it is sent. */
export type Command = Content<Schemas['Command']>
export type Spot = Schemas['Spot']
export type Proposal = Schemas['Proposal']
export type Landmark = Schemas['Landmark']
export type Followed = Schemas['FollowedPaths']
export type Task = Schemas['Task']

export const client = createClient<paths>({ baseUrl: '/' })

/** A refusal, in the server's own sentence. */
export class Refused extends Error {
  constructor(
    message: string,
    readonly status: number,
  ) {
    super(message)
  }
}

/** Unwraps an answer, or throws the server's sentence. */
export async function ask<T>(answer: Promise<{ data?: T; error?: unknown; response: Response }>): Promise<T> {
  const { data, error, response } = await answer
  if (response.ok) return data as T
  const problem = error as Schemas['Problem'] | undefined
  const message = problem?.message ?? `the server answered ${response.status}`
  // Who looks into the log finds the request by its id.
  const id = response.status >= 500 && problem?.request ? ` (request ${problem.request})` : ''
  throw new Refused(message + id, response.status)
}

/** Whether work in the background is not over yet. */
export const working = (t?: Task) => t?.state === 'waiting' || t?.state === 'running'
