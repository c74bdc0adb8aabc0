import type { Light } from '../../api.gen'
import { say, useSetup } from '../../kernel/store'
import { lightEdits } from '../../kernel/lightEdits'

const place = 'willowherb.copied'

interface Copied {
  setup: number | null
  lights: Light[]
}

/** copyLights keeps lights where every setup of this browser can paste them. */
export function copyLights(ids: string[]) {
  const { doc, id } = useSetup.getState()
  const lights = ids.flatMap((i) => (doc?.lights[i] ? [doc.lights[i]] : []))
  if (lights.length === 0) return
  localStorage.setItem(place, JSON.stringify({ setup: id, lights } satisfies Copied))
  say(lights.length === 1 ? `${lights[0]?.name} copied.` : `${lights.length} lights copied.`)
}

/** pasteLights adds what was copied: beside itself in the same setup, in its own place in another. */
export function pasteLights() {
  const text = localStorage.getItem(place)
  if (!text) {
    say('No lights have been copied.')
    return
  }
  const c = JSON.parse(text) as Copied
  lightEdits.paste(c.lights, c.setup === useSetup.getState().id ? [0.5, 0, 0] : [0, 0, 0])
}
