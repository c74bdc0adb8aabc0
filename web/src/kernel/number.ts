/** Reading numbers as artists write them: an expression in which v is the present value, and units. */

export interface Reading {
  value: number
  /** Set when the text was stops ("v+1 st"): to be added to the light's stops. */
  stops?: number
  /** What the text makes of any other value: of lights that are edited together. */
  change: (v: number) => number
}

const units: Record<string, number> = { k: 1, lm: 1, lx: 1, cd: 1, w: 1, 'cd/m2': 1, 'cd/m²': 1, nt: 1, m: 1, cm: 0.01, mm: 0.001, '°': 1, deg: 1, ev: 1, mired: 1, '%': 0.01, klm: 1000, klx: 1000 }

type Term = (v: number) => number

/** Parser reads sums of products of numbers, v and brackets. A number may carry a unit. */
class Parser {
  private at = 0
  constructor(private readonly text: string) {}

  /** whole is the expression, or null where the text is none to its end. */
  whole(): Term | null {
    const t = this.sum()
    this.space()
    return t && this.at === this.text.length ? t : null
  }

  private space() {
    while (this.text[this.at] === ' ') this.at++
  }

  private take(...signs: string[]): string | null {
    this.space()
    const c = this.text[this.at]
    if (c === undefined || !signs.includes(c)) return null
    this.at++
    return c
  }

  private chain(part: () => Term | null, apply: Record<string, (a: number, b: number) => number>): Term | null {
    let left = part()
    for (;;) {
      if (!left) return null
      const sign = this.take(...Object.keys(apply))
      if (!sign) return left
      const a: Term = left
      const b = part()
      const f = apply[sign]
      if (!b || !f) return null
      left = (v) => f(a(v), b(v))
    }
  }

  private sum(): Term | null {
    return this.chain(() => this.product(), { '+': (a, b) => a + b, '-': (a, b) => a - b })
  }

  private product(): Term | null {
    return this.chain(() => this.factor(), { '*': (a, b) => a * b, '/': (a, b) => a / b })
  }

  private factor(): Term | null {
    const sign = this.take('-', '+')
    if (sign) {
      const t = this.factor()
      return t && (sign === '-' ? (v) => -t(v) : t)
    }
    if (this.take('(')) {
      const t = this.sum()
      return t && this.take(')') ? t : null
    }
    this.space()
    const rest = this.text.slice(this.at)
    const own = /^v(?![a-z])/i.exec(rest)
    if (own) {
      this.at += 1
      return (v) => v
    }
    const m = /^(\d+(?:\.\d*)?|\.\d+)(e[-+]?\d+)?/i.exec(rest)
    if (!m) return null
    this.at += m[0].length
    const k = this.unit()
    return k === null ? null : () => Number(m[0]) * k
  }

  /** unit reads a unit after a number; 1 where there is none, null where it is not known. */
  private unit(): number | null {
    const m = /^\s*(cd\/m[2²]|[a-z°%]+)/i.exec(this.text.slice(this.at))
    if (!m) return 1
    const k = units[(m[1] ?? '').toLowerCase()]
    if (k === undefined) return null
    this.at += m[0].length
    return k
  }
}

/** readNumber understands "12", "1/3", "-0.5", "v*2", "v+5", "(v+1)/2", "800 lm", "35 cm", and of outputs "v+1 st". Returns null for what is no number. */
export function readNumber(text: string, now: number): Reading | null {
  const t = text.trim().replace(/(\d),(\d)/g, '$1.$2').replace(/[−–]/g, '-').replace(/×/g, '*').replace(/÷/g, '/')
  if (t === '' || t.length > 200) return null
  const st = /^v\s*([-+].*?)\s*st(?:ops?)?$/i.exec(t)
  if (st) {
    const by = new Parser(st[1] ?? '').whole()?.(now)
    return by !== undefined && Number.isFinite(by) ? { value: now, stops: by, change: (x) => x } : null
  }
  const change = new Parser(t).whole()
  if (!change) return null
  const value = change(now)
  return Number.isFinite(value) ? { value, change } : null
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

/** becomes says beneath a field what the text in it makes of its value, and of the others that are edited with it. */
export function becomes(r: Reading | null, text: string, others: number[], show: (v: number) => string, clamp: (v: number) => number): string {
  if (text.trim() === '') return ''
  if (!r) return 'no number'
  if (r.stops !== undefined) return `${stopsText(r.stops)} st`
  if (others.length > 0) {
    const all = [r.value, ...others.map(r.change)].map(clamp)
    const lo = show(Math.min(...all))
    const hi = show(Math.max(...all))
    return `${all.length} lights: ${lo === hi ? lo : `${lo} to ${hi}`}`
  }
  return `= ${show(clamp(r.value))}${clamp(r.value) !== r.value ? ', the limit' : ''}`
}

/** giveBack takes the focus from a field to the row it belongs to, so that every key works again. */
export function giveBack(field: HTMLElement) {
  const row = field.closest('.slot, .panel, section')?.querySelector<HTMLElement>('[data-row]')
  field.blur()
  row?.focus()
}
