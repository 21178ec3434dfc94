import { ask, type Schemas } from '../client'

/** A release document with the files it names, as it is handed in. */
export interface Bundle {
  format: 'rolltop-bundle/1'
  document: string
  files: Schemas['ReleaseBundleFile'][]
}

async function post<T>(path: string, bundle: Bundle): Promise<T> {
  const call = fetch('/api/v1' + path, {
    method: 'POST',
    headers: { 'Content-Type': 'application/json' },
    body: JSON.stringify(bundle),
  }).then(async (response) => {
    const body = await response.json()
    return response.ok ? { data: body as T, response } : { error: body, response }
  })
  return ask(call)
}

/** Reads a document without keeping it: its mistakes, or what it says. */
export const validate = (b: Bundle) => post<Schemas['Validated']>('/releases/validate', b)

/** Keeps a document as a revision. */
export const keep = (b: Bundle) => post<Schemas['ReleaseAdded']>('/releases', b)
