import type { Again, Answer, Aside, AsideAsk, BallsAnswer, BlendAsk, Contrast, Day, DayAsk, EditAsk, Effect, Exposed, Fault, Imported, KeptEnvironment, KeptProfile, KeptReference, KeptSlide, KeptTable, Line, Listed, LookAnswer, LookAsk, LookLine, Moment, MoodPicture, Notice, Overrides, Palette, PlaceAsk, Placed, Plan, Plot, PlotAsk, Point, Polar, Reading, RevertAsk, RigAnswer, RigAsk, SnagsAnswer, Snapshot, SnapshotAsk, Spot, StageFacts, StepAsk, Stepped, Target, TowardsAnswer, TowardsAsk, UndoAsk, WalkAnswer, WalkAsk, Warmth, WhoAnswer } from '../api.gen'

/** Refused is an answer that says what is wrong and what to do. */
export class Refused extends Error {
  constructor(
    readonly fault: Fault,
    readonly status: number,
  ) {
    super(fault.what)
  }
}

/** Busy is an answer that says: not now. The same may be asked again after so many seconds. */
export class Busy extends Refused {
  constructor(
    fault: Fault,
    status: number,
    readonly after: number,
  ) {
    super(fault, status)
  }
}

async function ask<T>(path: string, init?: RequestInit, again = false): Promise<T> {
  const r = await fetch(path, init)
  if (r.ok) return (await r.json()) as T
  if (r.status === 401 && !again) {
    await me()
    return ask<T>(path, init, true)
  }
  if (r.status === 503 || r.status === 429) throw new Busy(await words(r), r.status, Number(r.headers.get('Retry-After') ?? 1))
  throw new Refused(await words(r), r.status)
}

/** me asks the server who this browser is here; it gives it a name where it has none. */
export async function me() {
  const r = await fetch('/api/me')
  if (!r.ok) throw new Busy(await words(r), r.status, 1)
}

async function words(r: Response): Promise<Fault> {
  try {
    return (await r.json()) as Fault
  } catch {
    return { what: `The server answered ${r.status}.`, remedy: 'Try again.' }
  }
}

const post = (body: unknown): RequestInit => ({ method: 'POST', headers: { 'Content-Type': 'application/json' }, body: JSON.stringify(body) })

export const api = {
  setups: () => ask<Listed[]>('/api/setups'),
  demo: () => ask<Imported>('/api/demo', post({})),
  targets: () => ask<Target[]>('/api/targets'),
  palette: () => ask<Palette>('/api/palette'),
  curves: (hash: string) => ask<Polar>(`/api/profiles/${hash}`),
  warmth: () => ask<Warmth>('/api/warmth'),
  edit: (id: number, e: EditAsk) => ask<Answer>(`/api/setups/${id}/edits`, post(e)),
  undo: (id: number, u: UndoAsk) => ask<Answer>(`/api/setups/${id}/undo`, post(u)),
  weigh: (id: number, p: Point) => ask<Reading>(`/api/setups/${id}/weigh`, post(p)),
  step: (id: number, q: StepAsk) => ask<Stepped>(`/api/setups/${id}/step`, post(q)),
  place: (id: number, q: PlaceAsk) => ask<Placed>(`/api/setups/${id}/placement`, post(q)),
  contrast: (id: number, sight: string, object: number, ev: number) => ask<Contrast | null>(`/api/setups/${id}/contrast?sight=${sight}&object=${object}&ev=${ev}`),
  notice: (id: number) => ask<Record<string, Record<string, Notice>>>(`/api/setups/${id}/notice`),
  moods: (id: number, q: RigAsk) => ask<MoodPicture[]>(`/api/setups/${id}/moods`, post(q)),
  rig: (id: number, q: RigAsk) => ask<RigAnswer>(`/api/setups/${id}/rig`, post(q)),
  plot: (id: number, q: PlotAsk) => ask<Plot | null>(`/api/setups/${id}/plot?window=${windowName}`, post(q)),
  who: (id: number) => ask<WhoAnswer>(`/api/setups/${id}/who`),
  snags: (id: number) => ask<SnagsAnswer>(`/api/setups/${id}/snags`),
  shadow: (id: number, light: string) => ask<Record<string, Effect>>(`/api/setups/${id}/shadow/${light}`),
  day: (id: number, q: DayAsk) => ask<Plan>(`/api/setups/${id}/day`, post(q)),
  strip: (d: Day) => ask<Moment[]>('/api/strip', post(d)),
  madeNames: () => ask<string[]>('/api/environments/made'),
  made: (name: string) => ask<KeptEnvironment>(`/api/environments/made/${encodeURIComponent(name)}`, post({})),
  environment: (hash: string, layer: string) => ask<KeptEnvironment>(`/api/environments/${hash}${layer ? `?layer=${encodeURIComponent(layer)}` : ''}`),
  spot: (hash: string, layer: string, height: number, azimuth: number) => ask<Spot>(`/api/environments/${hash}/spot?height=${height}&azimuth=${azimuth}&reach=1&layer=${encodeURIComponent(layer)}`),
  towards: (id: number, q: TowardsAsk) => ask<TowardsAnswer>(`/api/setups/${id}/towards`, post(q)),
  balls: (id: number, p: Point) => ask<BallsAnswer>(`/api/setups/${id}/balls`, post(p)),
  exposed: (id: number, view: string) => ask<Exposed>(`/api/setups/${id}/exposed?view=${view}`),
  walk: (id: number, q: WalkAsk) => ask<WalkAnswer>(`/api/setups/${id}/walk`, post(q)),
  looks: (id: number) => ask<LookLine[]>(`/api/setups/${id}/looks`),
  blend: (id: number, q: BlendAsk) => ask<Overrides>(`/api/setups/${id}/looks/blend`, post(q)),
  mergeLook: (id: number, q: LookAsk) => ask<LookAnswer>(`/api/setups/${id}/looks/merge`, post(q)),
  stage: (id: number) => ask<StageFacts>(`/api/setups/${id}/stage`),
  copy: (id: number, name: string) => ask<Imported>(`/api/setups/${id}/copy`, post({ name })),
  history: (id: number, before: number) => ask<Line[]>(`/api/setups/${id}/history?before=${before}`),
  revert: (id: number, r: RevertAsk) => ask<Answer>(`/api/setups/${id}/revert`, post(r)),
  snapshots: (id: number) => ask<Snapshot[]>(`/api/setups/${id}/snapshots`),
  keep: (id: number, s: SnapshotAsk) => ask<Snapshot>(`/api/setups/${id}/snapshots`, post(s)),
  renameSnapshot: (id: number, snapshot: number, s: SnapshotAsk) => ask<boolean>(`/api/setups/${id}/snapshots/${snapshot}`, { ...post(s), method: 'PUT' }),
  forgetSnapshot: (id: number, snapshot: number) => ask<boolean>(`/api/setups/${id}/snapshots/${snapshot}`, { method: 'DELETE' }),
  aside: (id: number, a: AsideAsk) => ask<Aside[]>(`/api/setups/${id}/aside`, post(a)),
  compare: (id: number, sight: string, view: string, a: number, b: number) => ask<Notice | null>(`/api/setups/${id}/compare?sight=${sight}&view=${view}&a=${a}&b=${b}`),
  next: (id: number) => ask<Answer>(`/api/setups/${id}/next`),
  archive: (id: number, archived: boolean) => ask<boolean>(`/api/setups/${id}/archived`, post({ archived })),
  rename: (id: number, seq: number, name: string) => ask<Answer>(`/api/setups/${id}/name`, post({ name, window: windowName, seq, called: called() })),
  removeSetup: (id: number) => ask<boolean>(`/api/setups/${id}`, { method: 'DELETE' }),
  restore: (id: number) => ask<boolean>(`/api/setups/${id}/restored`, post({})),
}

/** importFile sends a GLB for a new setup and tells how much of it has gone over. */
export const importFile = (file: File, progress: (share: number) => void) => send<Imported>('/api/import', file, progress)

/** bringAgain sends a new version of a setup's place. */
export const bringAgain = (id: number, seq: number, file: File, progress: (share: number) => void) => send<Again>(`/api/setups/${id}/place?window=${windowName}&seq=${seq}&called=${encodeURIComponent(called())}`, file, progress)

/** These send a luminaire file, a picture of all that lies around, a reference, a table of colour, or a picture for a gobo. */
export const keepProfile = (file: File) => send<KeptProfile>('/api/profiles', file, () => undefined)
export const keepEnvironment = (file: File, progress: (share: number) => void) => send<KeptEnvironment>('/api/environments', file, progress)
export const keepReference = (file: File) => send<KeptReference>('/api/references', file, () => undefined)
export const keepTable = (file: File) => send<KeptTable>('/api/tables', file, () => undefined)
export const keepSlide = (file: File) => send<KeptSlide>('/api/slides', file, () => undefined)

/** sendFile sends a file that is read and answered at once. */
export const sendFile = <T>(path: string, file: File) => send<T>(path, file, () => undefined)

function send<T>(path: string, file: File, progress: (share: number) => void): Promise<T> {
  return new Promise((resolve, reject) => {
    const x = new XMLHttpRequest()
    x.open('POST', path)
    x.setRequestHeader('X-File-Name', encodeURIComponent(file.name))
    x.responseType = 'json'
    x.upload.onprogress = (e) => e.lengthComputable && progress(e.loaded / e.total)
    x.onload = () => {
      if (x.status === 200) resolve(x.response as T)
      else if (x.status === 503 || x.status === 429) reject(new Busy((x.response as Fault | null) ?? { what: 'The server is busy.', remedy: 'Try again in a moment.' }, x.status, 1))
      else reject(new Refused((x.response as Fault | null) ?? { what: `The server answered ${x.status}.`, remedy: 'Try again.' }, x.status))
    }
    x.onerror = () => reject(new Refused({ what: 'The file could not be sent.', remedy: 'Check that Willowherb is running, then drop it again. Files over 512 MB are refused.' }, 0))
    x.send(file)
  })
}

/** asked gets something of the server's; sent asks it to do something. */
export const asked = <T>(path: string) => ask<T>(path)
export const sent = <T = unknown>(path: string, method: 'POST' | 'PUT' | 'DELETE', body: unknown = {}) => ask<T>(path, { ...post(body), method })

function stored(area: Storage, key: string, make: () => string): string {
  let v = area.getItem(key)
  if (!v) {
    v = make()
    area.setItem(key, v)
  }
  return v
}

const random = () => Array.from(crypto.getRandomValues(new Uint8Array(8)), (b) => b.toString(16).padStart(2, '0')).join('')

/** windowName names this page load, so that a sequence number is never used twice. Who the person is, the server knows. */
export const windowName = random()

const birds = ['Heron', 'Curlew', 'Avocet', 'Lapwing', 'Bittern', 'Teal', 'Dunlin', 'Plover', 'Redshank', 'Snipe', 'Tern', 'Egret']

/** called is what this person is called by others here: a marsh bird until they choose a name. */
export const called = () => stored(localStorage, 'willowherb.called', () => birds[Math.floor(Math.random() * birds.length)] ?? 'Heron')
export const setCalled = (name: string) => localStorage.setItem('willowherb.called', name)
