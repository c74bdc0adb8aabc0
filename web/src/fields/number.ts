/** Reading numbers as artists write them: arithmetic on the present value, and units. */

export interface Reading {
  value: number
  /** Set when the text was stops ("+1 st"): to be added to the light's stops. */
  stops?: number
  /** How the text changes any other value: of lights that are edited together. */
  change: (v: number) => number
}

const fraction = '[-+]?(?:\\d+(?:\\.\\d*)?|\\.\\d+)(?:\\s*/\\s*\\d+(?:\\.\\d*)?)?'
const units: Record<string, number> = { k: 1, lm: 1, lx: 1, 'cd/m2': 1, 'cd/m²': 1, nt: 1, m: 1, cm: 0.01, mm: 0.001, '°': 1, deg: 1, ev: 1, st: 1, '%': 0.01, klm: 1000, klx: 1000 }

function plain(text: string): number {
  const [a, b] = text.split('/')
  return b === undefined ? Number(a) : Number(a) / Number(b)
}

/** readNumber understands "12", "1/3", "/10", "*2", "+ 0.5", "-1/3" (a change when relative), "800 lm", "35 cm", "+1 st".
 * Returns null for what is no number. */
export function readNumber(text: string, now: number, relative = false): Reading | null {
  const t = text.trim().replace(',', '.').replace('−', '-').replace('–', '-')
  const m = new RegExp(`^([*/+-]?=?)\\s*(${fraction})\\s*([a-zA-Z°%²/0-9]*)$`).exec(t) ?? new RegExp(`^()(${fraction})\\s*([a-zA-Z°%²/0-9]*)$`).exec(t)
  if (!m) return null
  const [, op = '', num = '', unit = ''] = m
  const u = unit.toLowerCase()
  if (u !== '' && !(u in units)) return null
  let v = plain(num.replace(/\s/g, '')) * (u === '' ? 1 : (units[u] ?? 1))
  if (!Number.isFinite(v)) return null
  if (u === 'st' && (op === '+' || op === '-')) return { value: now, stops: op === '-' ? -v : v, change: (x) => x }
  const by = v
  let change: (x: number) => number
  switch (op) {
    case '*':
      change = (x) => x * by
      break
    case '/':
      change = (x) => x / by
      break
    case '+':
      change = (x) => x + by
      break
    case '-':
      change = relative ? (x) => x - by : () => -by
      break
    default:
      change = () => by
  }
  v = change(now)
  return Number.isFinite(v) ? { value: v, change } : null
}

/** tidy shows a number with the digits that matter. */
export function tidy(v: number): string {
  const a = Math.abs(v)
  const s = a >= 1000 ? v.toFixed(0) : a >= 100 ? v.toFixed(1) : a >= 10 ? v.toFixed(2) : v.toFixed(3)
  return s.includes('.') ? s.replace(/\.?0+$/, '') : s
}

/** stopsText shows stops as photographers say them: thirds as fractions. */
export function stopsText(v: number): string {
  const r = Math.round(v * 100) / 100
  return (r < 0 ? '−' : '+') + Math.abs(r).toFixed(Math.abs(r * 10 - Math.round(r * 10)) < 0.001 ? 1 : 2)
}
