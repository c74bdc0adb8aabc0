import { create } from 'zustand'
import type { BallsAnswer } from '../api.gen'
import { api } from './client'
import { gazeNow } from './live'
import { say, useSetup } from './store'

/** useBalls are the chrome and the grey ball that are set, where in the picture, and what arrives there. */
export const useBalls = create<{ x: number; y: number; view: string; told: BallsAnswer | null; busy: boolean }>(() => ({ x: 0, y: 0, view: '', told: null, busy: false }))

/** setBalls sets the two before a point of the picture. */
export async function setBalls(x: number, y: number) {
  const { id, view } = useSetup.getState()
  if (id === null) return
  useBalls.setState({ x, y, view, busy: true })
  try {
    const told = await api.balls(id, { gaze: gazeNow(0), x, y, careful: false })
    if (!told.hit) say('That is the open sky: a ball needs a place.')
    useBalls.setState({ told: told.hit ? told : null, busy: false })
  } catch {
    say('The server did not answer.')
    useBalls.setState({ busy: false })
  }
}

/** liftBalls takes them away. */
export const liftBalls = () => useBalls.setState({ told: null, busy: false })
