import { api, ask } from './client'

/** The names of queries whose answers change with machines, decisions, waves or rules. */
export const liveQueries: string[] = []

/** Makes the options of a query of a name; its key is the name with what is asked. */
function named<A extends unknown[], T>(name: string, call: (...asked: A) => Promise<T>) {
  return (...asked: A) => ({
    key: [name, ...asked.map((a) => JSON.stringify(a) ?? '')],
    query: () => call(...asked),
  })
}

/** Makes the options of a query that is asked again when the service says that something changed. */
function live<A extends unknown[], T>(name: string, call: (...asked: A) => Promise<T>) {
  liveQueries.push(name)
  return named(name, call)
}

interface Listed {
  where?: string
  sort?: string
  page?: number
  cursor?: string
  size?: number
  facts?: string[]
}

const release = (id: string, revision?: number) =>
  ask(api.GET('/releases/{id}', { params: { path: { id }, query: { revision } } }))

/** Everything that the console reads, once each. */
export const queries = {
  session: named('session', () => ask(api.GET('/session'))),

  fleet: live('fleet', () => ask(api.GET('/fleet'))),
  fleetAnswers: live('fleet-answers', () => ask(api.GET('/fleet/answers'))),
  progress: live('progress', (days: number) =>
    ask(api.GET('/fleet/progress', { params: { query: { days } } })),
  ),

  machines: live('machines', (query: Listed) => ask(api.GET('/machines', { params: { query } }))),
  machine: live('machine', (key: string) => ask(api.GET('/machines/{key}', { params: { path: { key } } }))),
  matrix: live(
    'matrix',
    (query: { where?: string; sort?: string; cursor?: string; class?: 'pc' | 'mac'; size: number }) =>
      ask(api.GET('/fleet/matrix', { params: { query } })),
  ),
  tags: live('tags', () => ask(api.GET('/tags'))),
  filters: live('filters', () => ask(api.GET('/filters'))),
  duplicates: live('duplicates', () => ask(api.GET('/duplicates'))),
  expected: live('expected', () => ask(api.GET('/expected'))),
  /** What the work since an inventory has come to. */
  after: named('after', (key: string, inventory: number) =>
    ask(api.GET('/machines/{key}/results', { params: { path: { key }, query: { inventory } } })),
  ),
  /** A machine against several releases. */
  beside: named('beside', (key: string, releases: string[]) =>
    Promise.all(
      releases.map((release) =>
        ask(api.GET('/machines/{key}/check', { params: { path: { key }, query: { release } } })),
      ),
    ),
  ),
  compare: named('compare', (query: { a: string; b: string; inventory_a?: number; inventory_b?: number }) =>
    ask(api.GET('/compare', { params: { query } })),
  ),

  technicians: live('technicians', () => ask(api.GET('/technicians'))),
  orders: live('orders', () => ask(api.GET('/orders'))),
  replacements: live('replacements', () => ask(api.GET('/replacements'))),

  releases: live('releases', () => ask(api.GET('/releases'))),
  release: live('release', release),
  difference: named('difference', (id: string, query: { revision?: number; against?: string }) =>
    ask(api.GET('/releases/{id}/difference', { params: { path: { id }, query } })),
  ),
  targets: live('targets', () => ask(api.GET('/targets'))),
  /** The releases that are targets, with their requirements. */
  targetReleases: live('target-releases', (ids: string[]) => Promise.all(ids.map((id) => release(id)))),
  ruleChanges: live('rule-changes', () => ask(api.GET('/rule-changes'))),
  ruleChange: named('rule-change', (id: number) =>
    ask(api.GET('/rule-changes/{id}', { params: { path: { id } } })),
  ),

  work: live('work', (where: string | undefined) => ask(api.GET('/work', { params: { query: { where } } }))),
  wins: live('wins', (query: { where?: string; order?: 'machines' | 'time' }) =>
    ask(api.GET('/work/wins', { params: { query } })),
  ),
  applications: live('applications', (where: string | undefined) =>
    ask(api.GET('/applications', { params: { query: { where } } })),
  ),
  applicationMachines: live('application-machines', (query: { name: string; where?: string }) =>
    ask(api.GET('/applications/machines', { params: { query } })),
  ),
  decisions: live('decisions', (all: boolean) => ask(api.GET('/decisions', { params: { query: { all } } }))),
  waves: live('waves', () => ask(api.GET('/waves'))),
  forecast: live('forecast', (pace: number) => ask(api.GET('/forecast', { params: { query: { pace } } }))),
  wave: live('wave', (id: number) => ask(api.GET('/waves/{id}', { params: { path: { id } } }))),

  collectors: named('collectors', () => ask(api.GET('/collectors'))),
  settings: named('settings', () => ask(api.GET('/settings'))),
  webhooks: named('webhooks', () => ask(api.GET('/webhooks'))),
  users: named('users', () => ask(api.GET('/users'))),
  tokens: named('tokens', () => ask(api.GET('/tokens'))),
  modelFacts: live('model-facts', () => ask(api.GET('/model-facts'))),
  knowledge: named('knowledge', (kind: 'guides' | 'prices' | 'steps') =>
    ask(api.GET('/knowledge/{kind}', { params: { path: { kind } } })),
  ),
  knowledgeHistory: named('knowledge-history', (kind: 'guides' | 'prices' | 'steps') =>
    ask(api.GET('/knowledge/{kind}/history', { params: { path: { kind } } })),
  ),
}
