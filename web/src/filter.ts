import { api, ask, type Schemas } from './client'

/** A filter in its parts, as the service reads it. The console reads no filters itself. */
export type Filter = Schemas['FilterRead']

/** The values of a key, or none. */
export function valuesOf(filter: Filter | undefined, key: string): string[] {
  return filter?.terms.find((t) => t.key === key && t.op === '=')?.values ?? []
}

/** The filter with other values of a key; no values remove the term. */
export async function withValues(where: string, key: string, values: string[]): Promise<string> {
  const query = { where, replace: 'values' as const, key, value: values }
  return (await ask(api.GET('/filter', { params: { query }, querySerializer: explode }))).where
}

/** The filter with its plain words replaced by what was typed, which may be a filter itself. */
export async function withWords(where: string, words: string): Promise<string> {
  const query = { where, replace: 'words' as const, words }
  return (await ask(api.GET('/filter', { params: { query } }))).where
}

/** Ways to go on at the end of a filter. */
export async function completions(where: string): Promise<Schemas['Completion'][]> {
  return (await ask(api.GET('/filter/completions', { params: { query: { where } } }))).completions
}

/** Values may contain commas, so each stands alone: value=a&value=b. */
function explode(query: Record<string, unknown>): string {
  const out = new URLSearchParams()
  for (const [name, value] of Object.entries(query))
    for (const one of Array.isArray(value) ? value : [value]) out.append(name, String(one))
  return out.toString()
}
