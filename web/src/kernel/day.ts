import { create } from 'zustand'
import type { Day, Facts, Light, Plan } from '../api.gen'
import { api, Refused } from './client'
import { acknowledged, draft, edit, eraNow, hold, say, useSetup, type Op } from './store'

/** Known is what the server said last of a day: what it gives, by the day as JSON. */
interface Known {
  key: string
  facts: Facts | null
  /** What the hand wishes while the server works it out: the next key goes on from there. */
  wished: Day | null
}

/** useDay is the day that was asked about last. */
export const useDay = create<Known>(() => ({ key: '', facts: null, wished: null }))

/** dayNow is the day as the hand has it: what is wished, or what the setup says. */
export const dayNow = (): Day | undefined => useDay.getState().wished ?? useSetup.getState().doc?.day

/** keyOfDay tells days apart. */
export const keyOfDay = (d: Day | undefined) => (d ? JSON.stringify(d) : '')

interface Wanted {
  day: Day
  label: string
  done: boolean | 'held'
  era: number
}

let wanted: Wanted | null = null
let busy = false

/** know remembers what the server said of a day. */
export const know = (p: Plan) => useDay.setState({ key: keyOfDay(p.day), facts: p.facts })

/** setDay lets sun and sky follow a day. While the hand moves, the latest wish is asked for, one at a time; the one that is done is kept as an edit. */
export function setDay(day: Day, label: string, done: boolean | 'held') {
  wanted = { day, label, done, era: eraNow() }
  useDay.setState({ wished: day })
  void ask()
}

async function ask() {
  const id = useSetup.getState().id
  if (busy || !wanted || id === null) return
  busy = true
  const w = wanted
  wanted = null
  try {
    // The lights that follow it may have been made just now.
    if (useSetup.getState().pending.length > 0) await acknowledged()
    const p = await api.day(id, { day: w.day })
    if (w.era !== eraNow()) return
    know(p)
    const ops = p.ops as Op[]
    if (w.done === 'held') hold(w.label, ops)
    else if (w.done) edit(w.label, ops)
    else if (!wanted) draft(ops)
  } catch (e) {
    if (w.done) draft([])
    say(e instanceof Refused ? e.fault.what : 'The server did not answer.')
  } finally {
    busy = false
    if (wanted) void ask()
    else useDay.setState({ wished: null })
  }
}

const degrees = 180 / Math.PI

/** bearing is where a sun stands that shines along an aim: its height and its azimuth clockwise from -Z, in degrees. */
export function bearing(aim: readonly number[]): { height: number; azimuth: number } {
  const [x = 0, y = -1, z = 0] = aim
  const n = Math.hypot(x, y, z) || 1
  return { height: Math.asin(Math.min(Math.max(-y / n, -1), 1)) * degrees, azimuth: (Math.atan2(-x, z) * degrees + 360) % 360 }
}

/** sunOf is the light that is the day's sun. */
export function sunOf(day: Day | null | undefined, lights: Record<string, Light> | undefined): string | null {
  if (day && lights?.[day.sun]?.kind === 'sun') return day.sun
  return Object.keys(lights ?? {}).find((i) => lights?.[i]?.kind === 'sun') ?? null
}

/** sunTo puts the day's sun at a height and an azimuth, by hand. */
export const sunTo = (day: Day, height: number, azimuth: number, label: string, done: boolean | 'held') => setDay({ ...day, byClock: false, sky: { ...day.sky, sunHeight: height, sunAzimuth: azimuth } }, label, done)

/** clock writes an hour as a clock shows it. */
export function clock(hour: number): string {
  const m = Math.round(hour * 60)
  return `${String(Math.floor(m / 60)).padStart(2, '0')}:${String(m % 60).padStart(2, '0')}`
}

/** fromClock reads 17:30, 17.5 or 17; null for what is no hour. */
export function fromClock(text: string): number | null {
  const m = /^\s*(\d{1,2})(?::(\d{2})|[.,](\d+))?\s*$/.exec(text)
  if (!m) return null
  const hour = Number(m[1]) + (m[2] ? Number(m[2]) / 60 : m[3] ? Number(`0.${m[3]}`) : 0)
  return hour <= 24 && (!m[2] || Number(m[2]) < 60) ? hour : null
}
