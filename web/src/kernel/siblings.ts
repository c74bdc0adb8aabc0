import { useLook } from './look'
import { useSetup } from './store'

/** What the windows of one person on one setup share: what is chosen, what is alone, and where the main window looks. */
interface Shared {
  setup: number
  chosen: string | null
  picked: string[]
  objects: readonly number[]
  alone: string[]
  /** Of the main window only. */
  view?: string
  sight?: string
}

/** shareLook keeps a panel's own window and the main window of a setup at one: what is chosen in one is chosen in the other. Returns how to end it. */
export function shareLook(setup: number, own: boolean): () => void {
  if (!('BroadcastChannel' in window)) return () => undefined
  const channel = new BroadcastChannel('willowherb')
  let last = ''
  // What is heard is not said again: an answer that crosses a newer choice would take it back.
  let hearing = false
  const now = (): Shared => {
    const l = useLook.getState()
    const s = useSetup.getState()
    return { setup, chosen: l.chosen, picked: [...l.picked], objects: l.objects, alone: [...l.alone], ...(own ? {} : { view: s.view, sight: s.sight }) }
  }
  const say = () => {
    if (hearing) return
    const m = now()
    const text = JSON.stringify(m)
    if (text === last) return
    last = text
    channel.postMessage(m)
  }
  channel.onmessage = (e: MessageEvent<Shared | { asks: number }>) => {
    if ('asks' in e.data) {
      if (e.data.asks === setup && !own) {
        last = ''
        say()
      }
      return
    }
    const m = e.data
    if (m.setup !== setup || (own && m.sight === undefined)) return
    hearing = true
    useLook.setState({ chosen: m.chosen, picked: new Set(m.picked), objects: m.objects, alone: new Set(m.alone) })
    if (own && m.view && m.sight) useSetup.setState({ view: m.view, sight: m.sight })
    hearing = false
    last = JSON.stringify(now())
  }
  const stops = [useLook.subscribe((s, b) => (s.chosen !== b.chosen || s.picked !== b.picked || s.objects !== b.objects || s.alone !== b.alone) && say()), useSetup.subscribe((s, b) => !own && (s.view !== b.view || s.sight !== b.sight) && say())]
  if (own) channel.postMessage({ asks: setup })
  return () => {
    stops.forEach((stop) => stop())
    channel.close()
  }
}
