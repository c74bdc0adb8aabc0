import { partKey } from './parts'

/** Wanted is a part of a light's layer at the finest size that the server has of it. */
export interface Wanted {
  sight: string
  lamp: string
  part: number
  frame: string
  width: number
  height: number
  /** Its version: what has the same stamp is the same picture. */
  stamp: string
  scale: number
  address: string
}

/** Sink takes in what has come, and tells which version it has. */
export interface Sink {
  stamp: (key: string) => string | undefined
  put: (key: string, stamp: string, scale: number, words: Uint32Array, w: number, h: number) => void
}

const atOnce = 6 // a browser keeps no more connections to one server

/**
 * LayerLoader fetches layers each by itself, the newest wanted first. What is on its way stays
 * on its way: a layer that has been overtaken is still better than none, unless the newer one
 * has come before it.
 */
export class LayerLoader {
  private waiting: Wanted[] = []
  private onWay = new Map<string, AbortController>()
  private newest = new Map<string, Wanted>()
  private ended = false

  /** arrived is called after each layer that came, or was given up. */
  constructor(
    private sink: Sink,
    private setup: number,
    private arrived: (got: boolean) => void,
  ) {}

  /** missing counts what is wanted and not here. */
  missing(): number {
    return [...this.newest.values()].filter((w) => this.sink.stamp(keyOf(w)) !== w.stamp).length
  }

  /** want replaces what is wanted; of what is not wanted any more only another sight's is given up. */
  want(list: Wanted[]) {
    this.newest = new Map(list.map((w) => [keyOf(w), w]))
    for (const [id, stop] of this.onWay) {
      if (this.newest.has(id.slice(0, id.indexOf('@')))) continue
      stop.abort()
      this.onWay.delete(id)
    }
    this.waiting = list.filter((w) => this.sink.stamp(keyOf(w)) !== w.stamp && !this.onWay.has(idOf(w)))
    this.next()
  }

  /** dispose ends all fetches. */
  dispose() {
    this.ended = true
    this.waiting = []
    for (const stop of this.onWay.values()) stop.abort()
    this.onWay.clear()
  }

  private next() {
    while (!this.ended && this.onWay.size < atOnce) {
      const w = this.waiting.shift()
      if (!w) return
      const stop = new AbortController()
      this.onWay.set(idOf(w), stop)
      void this.load(w, stop.signal)
        .catch(() => false)
        .then((got) => {
          if (this.ended || stop.signal.aborted) return
          this.onWay.delete(idOf(w))
          this.arrived(got)
          this.next()
        })
    }
  }

  private async load(w: Wanted, signal: AbortSignal): Promise<boolean> {
    const r = await fetch(`/api/setups/${this.setup}/layers/${w.frame}/${w.lamp}/${w.address}`, { signal })
    if (!r.ok) return false
    const words = new Uint32Array(await r.arrayBuffer())
    if (signal.aborted || words.length !== w.width * w.height) return false
    const now = this.newest.get(keyOf(w))
    if (now && now.stamp !== w.stamp && this.sink.stamp(keyOf(w)) === now.stamp) return true // overtaken
    this.sink.put(keyOf(w), w.stamp, w.scale, words, w.width, w.height)
    return true
  }
}

const keyOf = (w: Wanted) => partKey(w.sight, w.lamp, w.part)
const idOf = (w: Wanted) => `${keyOf(w)}@${w.stamp}`
