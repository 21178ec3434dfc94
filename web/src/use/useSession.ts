import { useQuery } from '@pinia/colada'

import { api, ask } from './client'

/** Who is signed in; the scope is none when nobody is. */
export const useSession = () => useQuery({ key: ['session'], query: () => ask(api.GET('/session')) })

export const nobody = { name: '', scope: 'none' as const }
