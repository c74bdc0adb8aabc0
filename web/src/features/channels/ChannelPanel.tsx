import { Button, InputBase } from '@mui/material'
import { useQuery } from '@tanstack/react-query'
import { useRef, useState } from 'react'
import type { Setup } from '../../api.gen'
import { channelName, channelNumbers } from '../../kernel/channels'
import { linkedWith } from '../../kernel/lightEdits'
import { api } from '../../kernel/client'
import { useLook } from '../../kernel/look'
import { changeOps, channelsOf, figureOf, helper, tree } from '../../kernel/objectEdits'
import { useThings } from '../../kernel/things'
import { draft, edit, entries, eraNow, useSetup, type Op } from '../../kernel/store'
import { Tip } from '../../ui/Tip'
import { Matrix, type MatrixHands, type Row } from './Matrix'

const bit = (n: number) => 1 << (n - 1)

/** opsOf are the edits that give rows their new bits. */
export function opsOf(doc: Setup, rows: Row[], bits: Map<string, number>): Op[] {
  const things = useThings.getState().things
  let now = doc
  const ops: Op[] = []
  for (const r of rows) {
    const b = bits.get(r.key)
    if (b === undefined || b === r.bits) continue
    if (r.kind === 'light') {
      for (const id of linkedWith(r.key.slice(6))) ops.push({ op: 'add', path: `/lights/${id}/channels`, value: b })
      continue
    }
    const more = changeOps(now, r.key.slice(6), { channels: b === 255 ? (null as unknown as undefined) : b }, things)
    ops.push(...more)
    // Ids that have just been given are taken.
    for (const o of more) if (o.op === 'add' && /^\/objects\/[^/]+$/.test(o.path)) now = { ...now, objects: { ...now.objects, [o.path.slice(9)]: o.value as never } }
  }
  return ops
}

/** Painting is a drag over cells: all of them are turned the way of the first. */
interface Painting {
  on: boolean
  bits: Map<string, number>
}

/** painterOf paints cells of rows from where a drag begins. */
function painterOf(painting: React.RefObject<Painting | null>, kept: Setup, rows: Row[]) {
  const put = (r: Row, n: number) => {
    const p = painting.current
    if (!p) return
    const now = p.bits.get(r.key) ?? r.bits
    p.bits.set(r.key, p.on ? now | bit(n) : now & ~bit(n))
    draft(opsOf(kept, rows, p.bits))
  }
  const begin = (r: Row, n: number) => {
    painting.current = { on: !(r.bits & bit(n)), bits: new Map() }
    const era = eraNow()
    put(r, n)
    const end = (e: PointerEvent) => {
      window.removeEventListener('pointerup', end)
      window.removeEventListener('pointercancel', end)
      const p = painting.current
      painting.current = null
      if (e.type === 'pointercancel') draft([])
      else if (p && era === eraNow()) edit(`Channels of ${p.bits.size === 1 ? r.name : `${p.bits.size} rows`}`, opsOf(kept, rows, p.bits))
    }
    window.addEventListener('pointerup', end)
    window.addEventListener('pointercancel', end)
  }
  return { begin, put }
}

/** ChannelPanel is the matrix of who may light whom, and beside it who does. */
export default function ChannelPanel() {
  const doc = useSetup((s) => s.doc)
  const kept = useSetup((s) => s.kept)
  const id = useSetup((s) => s.id)
  const things = useThings((s) => s.things)
  const objects = useLook((s) => s.objects)
  const [deep, setDeep] = useState(false)
  const painting = useRef<Painting | null>(null)
  if (!doc || !kept || id === null) return null
  const lights: Row[] = entries(doc.lights).map(([i, l]) => ({ key: `light:${i}`, name: l.name, depth: 0, bits: l.channels, kind: 'light' }))
  const chosen = new Set(objects.flatMap((o) => (things[o] ? [things[o].path, things[o].path.split('/')[0]] : [])))
  const nodes: Row[] = tree(things)
    .filter((n) => deep || n.depth === 0 || channelsOf(doc, n.path) !== channelsOf(doc, n.path.split('/').slice(0, -1).join('/')) || chosen.has(n.path))
    .map((n) => ({ key: `thing:${n.path}`, name: n.name, depth: n.depth, bits: channelsOf(doc, n.path), kind: 'thing' }))
  const before = new Map<string, number>([...entries(kept.lights).map(([i, l]): [string, number] => [`light:${i}`, l.channels]), ...nodes.map((n): [string, number] => [n.key, channelsOf(kept, n.key.slice(6))])])
  const rows = [...lights, ...nodes].map((r) => ({ ...r, bits: before.get(r.key) ?? r.bits }))
  const shown = [...lights, ...nodes]

  const { begin, put } = painterOf(painting, kept, rows)
  /** column turns a channel on or off for all rows of a kind; all turns one row's channels. */
  const column = (kind: Row['kind'], n: number) => {
    const list = rows.filter((r) => r.kind === kind)
    const on = list.some((r) => !(r.bits & bit(n)))
    edit(`${channelName(doc.channels, n)} ${on ? 'on' : 'off'} for all ${kind === 'light' ? 'lights' : 'things'}`, opsOf(kept, rows, new Map(list.map((r) => [r.key, on ? r.bits | bit(n) : r.bits & ~bit(n)]))))
  }
  const all = (r: Row) => edit(`Channels of ${r.name}`, opsOf(kept, rows, new Map([[r.key, r.bits === 255 ? 0 : 255]])))
  const cell = (r: Row) => rows.find((q) => q.key === r.key) ?? r
  const hands: MatrixHands = {
    begin: (r, n) => begin(cell(r), n),
    over: (r, n) => painting.current && put(cell(r), n),
    turn: (r, n) => edit(`Channels of ${r.name}`, opsOf(kept, rows, new Map([[r.key, r.bits ^ bit(n)]]))),
    row: all,
    column,
  }
  const isChosen = (r: Row) => chosen.has(r.key.slice(6))
  const chosenThing = things[objects[0] ?? -1]
  const bearer = chosenThing && figureOf(things, chosenThing)
  return (
    <div className="panel-body">
      <p className="quiet">A light lights what is on one of its channels. Drag over cells to paint; a number or a name turns a whole column or row.</p>
      <Names doc={doc} />
      <Matrix title="Lights" rows={shown.filter((r) => r.kind === 'light')} chosen={isChosen} names={doc.channels} hands={hands} />
      <Matrix title="Things" rows={shown.filter((r) => r.kind === 'thing')} chosen={isChosen} names={doc.channels} hands={hands} />
      <p>
        <Button className="word" onClick={() => setDeep(!deep)}>
          {deep ? 'only what differs' : 'every object'}
        </Button>{' '}
        {bearer && (
          <Tip title="A light that lights what is round the figure but not the figure, and casts no shadow">
            <Button className="word" onClick={() => helper(bearer, things)}>
              helper light for {bearer.split('/').at(-1)}
            </Button>
          </Tip>
        )}
      </p>
      <Measured id={id} doc={doc} />
    </div>
  )
}

/** Names are the names of the channels. */
function Names({ doc }: { doc: Setup }) {
  const name = (n: number, value: string) => {
    const v = value.trim().slice(0, 40)
    if (v === (doc.channels?.[n]?.name ?? '')) return
    edit(`Channel ${n} named ${v || 'nothing'}`, [{ op: 'add', path: `/channels/${n}`, value: { name: v } }])
  }
  return (
    <div className="channel-names">
      {channelNumbers.map((n) => (
        <label key={n}>
          {n}
          <InputBase
            className="text"
            slotProps={{ input: { 'aria-label': `Name of channel ${n}` } }}
            key={doc.channels?.[n]?.name ?? ''}
            defaultValue={doc.channels?.[n]?.name ?? ''}
            placeholder="no name"
            onKeyDown={(e) => {
              e.stopPropagation()
              if (e.key === 'Enter') (e.target as HTMLElement).blur()
            }}
            onBlur={(e) => name(n, e.target.value)}
          />
        </label>
      ))}
    </div>
  )
}

/** Measured is who lights the figures, view by view, counted in the pictures. */
function Measured({ id, doc }: { id: number; doc: Setup }) {
  const revision = useSetup((s) => s.revision)
  const thumbs = useSetup((s) => Object.values(s.thumbs).map((t) => t.samples).join())
  const who = useQuery({ queryKey: ['who', id, revision, thumbs], queryFn: () => api.who(id), placeholderData: (p) => p })
  const views = entries(doc.views)
  const figures = new Map<string, string>()
  for (const list of Object.values(who.data?.views ?? {})) for (const l of list) if (l.figure) figures.set(l.path, l.name)
  if (!who.data) return <p className="quiet">measuring …</p>
  return (
    <>
      <h3>As measured</h3>
      {figures.size === 0 && <p className="quiet">No figure is large enough in any view to be measured.</p>}
      {[...figures].map(([path, name]) => (
        <div key={path} className="measured">
          <b>{name}</b>
          {views.map(([v, view]) => {
            const f = who.data.views[v]?.find((l) => l.path === path)
            if (!f) return null
            const direct = f.by.filter((b) => b.lights)
            return (
              <p key={v}>
                {view.name}: {direct.length === 0 ? <b>nothing lights it</b> : `${direct.length} ${direct.length === 1 ? 'light' : 'lights'}`}
                <span className="quiet">
                  {' '}
                  {f.by
                    .slice(0, 4)
                    .map((b) => `${doc.lights[b.light]?.name ?? b.light} ${Math.round(100 * b.share)} %`)
                    .join(', ')}
                </span>
              </p>
            )
          })}
        </div>
      ))}
      {!who.data.ready && <p className="quiet">Some views are still to come.</p>}
    </>
  )
}
