import { useQuery } from '@tanstack/react-query'
import type { FinalState, FinalStatus, Order, Overview } from '../../api.gen'
import { asked, Refused, sent } from '../../kernel/client'
import { queryClient } from '../../kernel/queryClient'
import { complain, useSetup } from '../../kernel/store'

const at = (id: number) => `/api/setups/${id}/finals`

/** over tells final frames of which nothing more comes. */
export const over = (s: FinalStatus) => ['done', 'stopped', 'failed'].includes(s.state)

/** useFinals is how the setup's final frames stand; asked again and again while some are to come. */
export function useFinals() {
  const id = useSetup((s) => s.id)
  return useQuery({
    queryKey: ['finals', id],
    queryFn: () => asked<FinalState>(at(id ?? 0)),
    enabled: id !== null,
    refetchInterval: (q) => (q.state.data?.orders.some((o) => !over(o)) ? 1000 : false),
  })
}

/** useQueue is the queue of all setups and who works it. */
export const useQueue = () => useQuery({ queryKey: ['queue'], queryFn: () => asked<Overview>('/api/queue'), refetchInterval: 2000 })

async function told(done: Promise<unknown>) {
  try {
    await done
    await queryClient.invalidateQueries({ queryKey: ['finals'] })
    await queryClient.invalidateQueries({ queryKey: ['queue'] })
  } catch (e) {
    complain(e instanceof Refused ? e.fault : { what: 'The server did not answer.', remedy: 'Try again.' })
  }
}

/** askFinals puts frames into the queue. */
export const askFinals = (id: number, o: Order) => told(sent(at(id), 'POST', o))

/** turnFinals pauses frames, goes on with them, stops or removes them. */
export const turnFinals = (id: number, of: FinalStatus, how: 'pause' | 'resume' | 'stop' | 'remove') => told(sent(`${at(id)}/${of.id}/${how}`, 'PUT'))

/** fileOf is the address of a frame's file, all is that of all of them. */
export const fileOf = (id: number, of: FinalStatus, frame: number, kind: 'png' | 'exr' | 'small') => `${at(id)}/${of.id}/${frame}.${kind}`
export const allOf = (id: number, of: FinalStatus, kind: 'png' | 'exr') => `${at(id)}/${of.id}/all.${kind}`
