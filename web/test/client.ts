// A program in TypeScript that calls the service with a client generated from the description of the API. The Go
// test beside it generates the types, compiles this file strictly and reads what it prints.
import createClient from 'openapi-fetch'

import type { paths } from './out/schema'

const [server, token] = process.argv.slice(2)
const api = createClient<paths>({
  baseUrl: server + '/api/v1',
  headers: { Authorization: 'Bearer ' + token },
})

const machines = await api.GET('/machines', { params: { query: { where: 'disposition=refit', size: 5 } } })
if (!machines.data) throw new Error(machines.error.detail)
const names: string[] = machines.data.machines.map((m) => m.name)

const next = await api.GET('/machines', {
  params: { query: { where: 'disposition=refit', size: 5, cursor: machines.data.next } },
})
const again = next.data?.machines.filter((m) => names.includes(m.name)).length

const unknown = await api.GET('/machines/{key}', { params: { path: { key: 'gul-014' } } })

const read = await api.GET('/settings')
if (!read.data) throw new Error(read.error.detail)
const tag = read.response.headers.get('ETag') ?? ''
const body = { ...read.data, stale_days: read.data.stale_days + 1 }
const first = await api.PUT('/settings', { body, headers: { 'If-Match': tag } })
const second = await api.PUT('/settings', { body, headers: { 'If-Match': tag } })

console.log(
  JSON.stringify({
    total: machines.data.total,
    names: names.length,
    again,
    unknown: { type: unknown.error?.type, detail: unknown.error?.detail },
    first: first.response.status,
    second: { status: second.response.status, type: second.error?.type },
  }),
)
