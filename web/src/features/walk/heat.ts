import type { Step } from '../../api.gen'
import type { Heat } from './state'

/** Scale is how a step's value becomes a colour, with its ends in words. */
export interface Scale {
  name: string
  /** 0 to 1; NaN where there is none. */
  at: (s: Step) => number
  low: string
  high: string
  say: (s: Step) => string
}

const between = (v: number, lo: number, hi: number) => Math.min(Math.max((v - lo) / (hi - lo), 0), 1)

/** lx writes an illuminance. */
export const lx = (v: number) => `${v < 1 ? v.toPrecision(1) : v < 10 ? v.toFixed(1) : Math.round(v).toLocaleString('en')} lx`

/** st writes stops with their sign. */
export const st = (v: number) => `${v < 0 ? '−' : '+'}${Math.abs(v).toFixed(1)} st`

/** figure5 is the figure 5 m ahead. */
export const figure5 = (s: Step) => s.figure[1]

/** scales are what the plan can be coloured by. */
export function scales(limitMs: number): Record<Heat, Scale> {
  return {
    lux: { name: 'light at the eye', at: (s) => between(Math.log10(Math.max(s.lux, 1e-4)), Math.log10(0.05), Math.log10(500)), low: '0.05 lx', high: '500 lx at the eye', say: (s) => lx(s.lux) },
    ms: { name: 'cost', at: (s) => between(s.ms, limitMs * 0.4, limitMs * 1.2), low: `${(limitMs * 0.4).toFixed(1)} ms`, high: `${(limitMs * 1.2).toFixed(1)} ms`, say: (s) => `${s.ms.toFixed(2)} ms` },
    figure: { name: 'figure apart', at: (s) => (figure5(s).seen ? between(Math.abs(figure5(s).stops), 0, 3) : NaN), low: '0 st', high: '3 st apart at 5 m', say: (s) => (figure5(s).seen ? st(figure5(s).stops) : 'not seen') },
    left: { name: 'exposure', at: (s) => between(Math.abs(s.left), 0, 4), low: '0 st', high: '4 st still to go', say: (s) => st(s.left) },
  }
}
