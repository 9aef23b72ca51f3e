// One cache for all that is fetched.
import { QueryClient, useQuery, type UseQueryResult } from '@tanstack/react-query'
import { useSyncExternalStore } from 'react'
import { Refused, type Answer, type Call, type Routes } from 'turnvex-client'
import { http, session } from './session.ts'

export const queries = new QueryClient({
  defaultOptions: {
    queries: {
      staleTime: 5000,
      retry: (count, e) => count < 2 && e instanceof Refused && (e.code === 'no-answer' || e.status === 503),
      retryDelay: (count, e) => (e instanceof Refused && e.after ? e.after * 1000 : 500 * 2 ** count),
    },
  },
})

export const useSession = () => useSyncExternalStore(session.watch, session.get)

/** Reads a route, as whoever is signed in, and again every so many milliseconds if asked. Undefined means not yet. */
export function useCall<R extends keyof Routes>(
  route: R,
  call: Omit<Call<R>, 'signal'> | undefined,
  keep = false,
  every?: number,
): UseQueryResult<Answer<R>, Error> {
  const { who } = useSession()
  return useQuery({
    queryKey: [route, call, who?.role, who?.name],
    queryFn: ({ signal }) => http.call(route, ...([{ ...call, signal }] as unknown as never)),
    enabled: call !== undefined,
    refetchInterval: every,
    placeholderData: keep ? (before) => before : undefined,
  })
}
