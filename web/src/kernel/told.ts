import { Refused } from './client'
import { complain } from './store'

/** told says what went wrong with something that was asked for. */
export function told(done: Promise<unknown>) {
  done.catch((e: unknown) => complain(e instanceof Refused ? e.fault : { what: 'The server did not answer.', remedy: 'Try again.' }))
}
