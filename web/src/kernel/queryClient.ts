import { QueryClient } from '@tanstack/react-query'

/** queryClient keeps what the server has answered. */
export const queryClient = new QueryClient({ defaultOptions: { queries: { staleTime: 60_000, retry: 5 } } })
