import type { Light, Setup } from '../api.gen'
import { stopsText, tidy } from '../fields/number'
import { draft, edit, type Op } from '../setup/store'

/** deeds are the edits a Ledger row makes: each with the words that undo will show. */

const at = (id: string, field: string) => `/lights/${id}/${field}`

export const replace = (path: string, value: unknown): Op => ({ op: 'replace', path, value })

export function setField<K extends keyof Light>(id: string, l: Light, field: K, value: Light[K], words: string, done = true) {
  const ops = [replace(at(id, field), value)]
  if (done) edit(`${l.name} ${words}`, ops)
  else draft(ops)
}

const round = (v: number, to: number) => Math.round(v / to) * to

export const deeds = {
  stops(id: string, l: Light, value: number, done = true) {
    const v = Math.round(Math.min(Math.max(value, -10), 10) * 1000) / 1000
    setField(id, l, 'stops', v, `${stopsText(v - l.stops)} st`, done)
  },
  trim(id: string, doc: Setup, value: number, done = true) {
    const g = doc.groups[id]
    if (!g) return
    const v = Math.round(Math.min(Math.max(value, -10), 10) * 1000) / 1000
    const ops = [replace(`/groups/${id}/trim`, v)]
    if (done) edit(`${g.name} trim ${stopsText(v)} st`, ops)
    else draft(ops)
  },
  kelvin: (id: string, l: Light, k: number, done = true) => setField(id, l, 'colour', { kelvin: round(k, 10) }, `${round(k, 10)} K`, done),
  rgb: (id: string, l: Light, rgb: [number, number, number], done = true) => setField(id, l, 'colour', { rgb }, 'colour', done),
  output: (id: string, l: Light, v: number, unit: string, done = true) => setField(id, l, 'output', v, `${tidy(v)} ${unit}`, done),
  number(id: string, l: Light, field: 'radius' | 'range' | 'width' | 'height' | 'angle' | 'inner' | 'outer', v: number, unit: string, done = true) {
    setField(id, l, field, v, `${field} ${tidy(v)} ${unit}`, done)
  },
  off(id: string, l: Light) {
    setField(id, l, 'off', !l.off, l.off ? 'on' : 'off')
  },
  groupOff(id: string, doc: Setup) {
    const g = doc.groups[id]
    if (g) edit(`${g.name} ${g.off ? 'on' : 'off'}`, [replace(`/groups/${id}/off`, !g.off)])
  },
  carry: (id: string, l: Light, c: Light['carry']) => setField(id, l, 'carry', c, `carried ${c}`),
  shadow: (id: string, l: Light) => setField(id, l, 'shadow', !l.shadow, l.shadow ? 'without shadow' : 'with shadow'),
  rename(id: string, l: Light, name: string) {
    const n = name.trim()
    if (n && n !== l.name) edit(`${l.name} renamed ${n}`, [replace(at(id, 'name'), n)])
  },
  renameGroup(id: string, doc: Setup, name: string) {
    const n = name.trim()
    const g = doc.groups[id]
    if (g && n && n !== g.name) edit(`${g.name} renamed ${n}`, [replace(`/groups/${id}/name`, n)])
  },
}
