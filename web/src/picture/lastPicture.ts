/** The last picture of each setup is kept in this browser, so that the next opening shows something at once while the place is made ready. */

const place = 'willowherb.last'

/** most is how many setups have one. */
const most = 6

type Kept = Record<string, { at: number; url: string }>

function kept(): Kept {
  try {
    return JSON.parse(localStorage.getItem(place) ?? '{}') as Kept
  } catch {
    return {}
  }
}

/** lastPicture is what a setup looked like last, as an address of an image; nothing where that is not known. */
export const lastPicture = (setup: number): string | undefined => kept()[setup]?.url

/** keepPicture keeps what a canvas shows as the setup's last picture. Without room the older ones go. */
export function keepPicture(setup: number, canvas: HTMLCanvasElement, now = Date.now()) {
  const url = canvas.toDataURL('image/jpeg', 0.72)
  const all = kept()
  all[setup] = { at: now, url }
  const old = Object.keys(all).sort((a, b) => (all[b]?.at ?? 0) - (all[a]?.at ?? 0))
  for (const id of old.slice(most)) delete all[id]
  try {
    localStorage.setItem(place, JSON.stringify(all))
  } catch {
    localStorage.removeItem(place)
  }
}
