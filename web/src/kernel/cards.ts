import type { Backdrop, KeptReference, Light } from '../api.gen'
import { free } from './lightEdits'
import { cameraNow } from './look'
import { shining } from './objectEdits'
import { edit, useSetup } from './store'
import { exposureFactor } from './sums'

/** How far before the eye a card is put, in metres. */
const away = 12

const r = (v: number) => Math.round(v * 1000) / 1000

/** addCard puts a kept picture before the eye, upright, facing it, as high as half of what is seen there. It shines so that its white is white at the exposure of the view; it lights nothing until it is told to. */
export function addCard(kept: KeptReference, aspect: number) {
  const { kept: doc, view } = useSetup.getState()
  const c = cameraNow()
  if (!doc || !c) return
  const names = new Set([...Object.values(doc.backdrops ?? {}).map((b) => b.name), ...Object.values(doc.lights).map((l) => l.name)])
  const first = (kept.file.replace(/\.[a-z]+$/i, '') || 'Card').slice(0, 70)
  let name = first
  for (let n = 2; names.has(name); n++) name = `${first} ${n}`
  const flat = Math.hypot(c.aim[0], c.aim[2]) || 1
  const height = away * Math.tan((c.fovY * Math.PI) / 360)
  const position: [number, number, number] = [r(c.eye[0] + (c.aim[0] / flat) * away), r(c.eye[1] - height / 2), r(c.eye[2] + (c.aim[2] / flat) * away)]
  const b: Backdrop = { name, position, facing: r((Math.atan2(-c.aim[0], -c.aim[2]) * 180) / Math.PI), width: r(height * aspect), depth: 1, height: r(height), curve: 0, colour: [0, 0, 0], roughness: 1, card: { blob: kept.blob, file: kept.file } }
  const white = 1 / exposureFactor(doc.views[view]?.ev ?? 0)
  const l: Light = { ...shining(doc, name, Number(white.toPrecision(4)), [1, 1, 1]), noDiffuse: 1 }
  edit(`${name} put up`, [{ op: 'add', path: `/backdrops/${free(doc.backdrops ?? {}, name)}`, value: b }, { op: 'add', path: `/lights/${free(doc.lights, name)}`, value: l }])
}

/** cardLight is the light of a card. */
export const cardLight = (lights: Record<string, Light>, b: Backdrop) => Object.entries(lights).find(([, l]) => l.kind === 'emissive' && l.material === b.name)
