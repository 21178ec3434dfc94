import { useQuery } from '@pinia/colada'

import { queries } from '../queries'

/** Who is signed in; the scope is none when nobody is. */
export const useSession = () => useQuery(queries.session())

export const nobody = { name: '', scope: 'none' as const }
