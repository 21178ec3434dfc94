import createClient from 'openapi-fetch'
import { toRaw } from 'vue'

import type { components, paths } from './api'

export type Schemas = components['schemas']
export type Disposition = 'done' | 'ready' | 'reconfigure' | 'refit' | 'decide' | 'replace' | 'undetermined'

export const api = createClient<paths>({
  baseUrl: '/api/v1',
  querySerializer: { array: { style: 'form', explode: false } },
})

/** What went wrong, in the words of the service where it answered. */
export class Trouble extends Error {
  constructor(
    readonly status: number,
    message: string,
  ) {
    super(message)
  }
}

/** Tells the console that a session has ended. */
export const signedOut = 'rolltop-signed-out'

const tags = new WeakMap<object, string>()

/** Headers with which replacing what was read fails if somebody else replaced it meanwhile. */
export function ifUnchanged(read: object | null | undefined): Record<string, string> {
  const tag = read && tags.get(toRaw(read))
  return tag ? { 'If-Match': tag } : {}
}

interface Answer<T> {
  data?: T
  error?: unknown
  response: Response
}

/** Gives the data of a call, or throws what the service says of the failure. */
export async function ask<T>(call: Promise<Answer<T>>): Promise<T> {
  let answer: Answer<T>
  try {
    answer = await call
  } catch {
    throw new Trouble(0, 'The service does not respond. Check that it is running.')
  }
  if (answer.response.ok && (answer.data !== undefined || answer.response.status === 204)) {
    const tag = answer.response.headers.get('ETag')
    if (tag && answer.data && typeof answer.data === 'object') tags.set(answer.data, tag)
    return answer.data as T // 204 has nothing to say
  }
  if (answer.response.status === 401) window.dispatchEvent(new Event(signedOut))
  const problem = answer.error as Partial<Schemas['Problem']> | undefined
  throw new Trouble(
    answer.response.status,
    problem?.detail ?? problem?.title ?? `The service answered ${answer.response.status}.`,
  )
}
