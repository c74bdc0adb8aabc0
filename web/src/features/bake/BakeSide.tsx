import { Button, MenuItem, Select, Switch } from '@mui/material'
import { useState } from 'react'
import type { Bake, BakeState, MapObject, Summary } from '../../api.gen'
import { change, saidOf } from '../../kernel/objectEdits'
import { choose } from '../../kernel/look'
import { openPanel } from '../../kernel/panels'
import { useSetup } from '../../kernel/store'
import { useThings } from '../../kernel/things'
import { workerName } from '../../kernel/workers'
import { NumberField } from '../../ui/NumberField'
import { SliderField } from '../../ui/SliderField'
import { Tip } from '../../ui/Tip'
import { addBox, setBake, standard } from './bakeEdits'
import { BoxRow } from './BoxRow'
import { Field } from './Field'
import { Found } from './Found'
import { Mirrors } from './Mirrors'
import { short } from './short'
import { useBake } from './queries'
import { showBake, useBakeView } from './state'

/** BakeSide is the step's side: the lightmap by object, its pages, the probes, the reflection probes, and what changed. */
export function BakeSide() {
  const doc = useSetup((s) => s.doc)
  const { data, isError } = useBake()
  if (!doc) return <section className="air" aria-label="Bake" />
  const rules = doc.bake ?? standard
  const last = data?.last?.summary
  return (
    <section className="air bake" aria-label="Bake">
      <Lightmap rules={rules} last={last} />
      {last && data?.last && <Pages last={last} bake={data.last.id} />}
      <Field rules={rules} last={last} />
      <Mirrors rules={rules} last={last} />
      {last && last.found.length > 0 && <Found list={last.found} />}
      {data && <Changed data={data} />}
      {data && <Farm data={data} />}
      {isError && <p className="air-part quiet">The server did not answer.</p>}
    </section>
  )
}

const many = (n: number) => (n >= 1e6 ? `${(n / 1e6).toFixed(1)} M` : n >= 1000 ? `${Math.round(n / 1000)} k` : String(n))

/** Lightmap is the density of texels, for the level and for each object. */
function Lightmap({ rules, last }: { rules: Bake; last: Summary | undefined }) {
  const [all, setAll] = useState(false)
  const list = [...(last?.objects ?? [])].sort((a, b) => b.texels - a.texels)
  return (
    <div className="air-part" role="group" aria-label="Lightmap">
      <div className="air-head">
        <h2>Lightmap</h2>
        {last && (
          <span className="quiet">
            {last.mb.toFixed(1)} MB · {last.pages.length} {last.pages.length === 1 ? 'page' : 'pages'}
          </span>
        )}
      </div>
      <SliderField name="Density" says="Texels a metre, where no object says otherwise" unit="/m" geometric min={1} max={64} step={1.1} value={rules.density} show={(v) => String(Math.round(v * 10) / 10)} reset={standard.density} set={(v, done) => setBake({ density: Math.round(v * 10) / 10 }, `${Math.round(v * 10) / 10} texels a metre`, done)} />
      <div className="air-row">
        <Tip title="Fewer texels the farther the nearest view is">
          <span className="label">more where it is seen</span>
        </Tip>
        <Switch size="small" checked={rules.seen} slotProps={{ input: { 'aria-label': 'More texels where it is seen' } }} onChange={(e) => setBake({ seen: e.target.checked }, e.target.checked ? 'More texels where it is seen' : 'Texels alike everywhere')} />
      </div>
      <Paper rules={rules} />
      <Besides rules={rules} />
      {Object.entries(rules.bounds).map(([id, b]) => (
        <BoxRow key={id} which="bounds" id={id} b={b} />
      ))}
      <p className="made">
        <Tip title="A box in which the bake spends its texels; beyond all of them there are a quarter as many a metre">
          <Button className="word" onClick={() => addBox('bounds')}>
            bounds for the bake
          </Button>
        </Tip>
      </p>
      {list.length > 0 && (
        <table className="bake-table">
          <thead>
            <tr>
              <th>object</th>
              <th>a metre</th>
              <th>texels</th>
              <th>noise</th>
            </tr>
          </thead>
          <tbody>
            {list.slice(0, all ? undefined : 7).map((o) => (
              <ObjectRow key={o.path} o={o} rules={rules} factor={last?.numbers.density ?? 1} />
            ))}
          </tbody>
        </table>
      )}
      {list.length > 7 && (
        <Button className="word" onClick={() => setAll(!all)}>
          {all ? 'fewer' : `${list.length - 7} more`}
        </Button>
      )}
      {last && last.left.length > 0 && <Left last={last} />}
    </div>
  )
}

/** Paper is how pages are made: their size, the padding, the format. */
function Paper({ rules }: { rules: Bake }) {
  return (
    <div className="air-row bake-paper">
      <Select size="small" variant="standard" value={rules.page} inputProps={{ 'aria-label': 'Size of a page' }} onChange={(e) => setBake({ page: Number(e.target.value) }, `Pages of ${e.target.value}`)}>
        {[256, 512, 1024, 2048, 4096].map((v) => (
          <MenuItem key={v} value={v}>
            {v} px
          </MenuItem>
        ))}
      </Select>
      <Select size="small" variant="standard" value={rules.format} inputProps={{ 'aria-label': 'Format of the pages' }} onChange={(e) => setBake({ format: e.target.value }, `Pages as ${e.target.value}`)}>
        <MenuItem value="bc6h">BC6H, 1 byte</MenuItem>
        <MenuItem value="half">half, 8 bytes</MenuItem>
        <MenuItem value="rgbm">RGBM, 4 bytes</MenuItem>
      </Select>
      <NumberField label="Padding between charts" value={rules.padding} unit="px" min={1} max={16} step={1} show={(v) => String(Math.round(v))} onDraft={() => undefined} onDone={(v) => setBake({ padding: Math.round(v) }, `Padding ${Math.round(v)} texels`)} />
    </div>
  )
}

/** Besides are what a bake has over the light of each texel. */
function Besides({ rules }: { rules: Bake }) {
  const far = rules.occlusion ?? 0
  return (
    <>
      <div className="air-row">
        <Tip title="For normal maps: how the light changes as the surface tilts. It doubles the pages and the layers">
          <span className="label">directional</span>
        </Tip>
        <Switch size="small" checked={rules.directional ?? false} slotProps={{ input: { 'aria-label': 'Directional lightmap' } }} onChange={(e) => setBake({ directional: e.target.checked }, e.target.checked ? 'Directional lightmap' : 'Lightmap without directions')} />
      </div>
      <div className="air-row">
        <Tip title="How much of the sky over each texel is free of what lies nearer than so many metres">
          <span className="label">occlusion</span>
        </Tip>
        {far > 0 && <NumberField label="Occlusion looks so far" value={far} unit="m" min={0.05} max={100} step={1.1} geometric show={(v) => String(Math.round(v * 100) / 100)} onDraft={() => undefined} onDone={(v) => setBake({ occlusion: Math.round(v * 100) / 100 }, `Occlusion within ${Math.round(v * 100) / 100} m`)} />}
        <Switch size="small" checked={far > 0} slotProps={{ input: { 'aria-label': 'Bake occlusion' } }} onChange={(e) => setBake({ occlusion: e.target.checked ? 2 : 0 }, e.target.checked ? 'Occlusion is baked' : 'No occlusion')} />
      </div>
    </>
  )
}

/** ObjectRow is one object of the map; its density is typed here. */
function ObjectRow({ o, rules, factor }: { o: MapObject; rules: Bake; factor: number }) {
  const doc = useSetup((s) => s.doc)
  const things = useThings((s) => s.things)
  const own = doc ? saidOf(doc, o.path)?.density : undefined
  const set = (v: number | undefined) => change(o.path, { density: v }, v === undefined ? 'texels as the level' : `${v} texels a metre`, things)
  return (
    <tr className={own !== undefined ? 'own' : ''}>
      <th scope="row" title={`${o.path}: ${o.charts} charts, ${o.buried} texels in something solid`}>
        {short(o.path)}
      </th>
      <td>
        <NumberField label={`${short(o.path)}, texels a metre`} value={own ?? rules.density} min={0.1} max={256} step={1.1} geometric show={(v) => String(Math.round(v * 10) / 10)} onDraft={() => undefined} onDone={(v) => set(Math.round(v * 10) / 10)} onReset={() => set(undefined)} />
      </td>
      <td>{many(o.texels)}</td>
      <td title={`at ${factor} times the density`}>{(100 * o.noise).toFixed(1)} %</td>
    </tr>
  )
}

const whys: Record<string, string> = { mover: 'it moves', glass: 'light passes it', absent: 'hidden, or a blocker', small: 'small pieces: by probes', probes: 'by probes', 'no area': 'it has no area' }

/** Left are the objects that are not in the map, with the reason. */
function Left({ last }: { last: Summary }) {
  return (
    <details className="bake-left">
      <summary>
        {last.left.length} {last.left.length === 1 ? 'object is' : 'objects are'} not in the map
      </summary>
      <ul>
        {last.left.map((l) => (
          <li key={l.path}>
            <span>{short(l.path)}</span> <span className="quiet">{whys[l.why] ?? l.why}</span>
          </li>
        ))}
      </ul>
    </details>
  )
}

/** Pages are the map's, as they look at present levels. */
function Pages({ last, bake }: { last: Summary; bake: number }) {
  const id = useSetup((s) => s.id)
  const revision = useSetup((s) => s.revision)
  const show = useBakeView((s) => s.show)
  return (
    <div className="air-part" role="group" aria-label="Pages">
      <div className="air-head">
        <h2>Pages</h2>
        <Tip title="Of the pages’ texels: on surfaces, and with the padding that their charts need">
          <span className="quiet">
            {Math.round(100 * last.filled)} % filled, {Math.round(100 * last.padded)} % with padding
          </span>
        </Tip>
      </div>
      <div className="bake-pages">
        {last.pages.slice(0, 8).map((p, i) => (
          <img key={i} alt={`Page ${i + 1}, ${p.width} by ${p.height}`} src={`/api/setups/${id}/bake/page/${i}?bake=${bake}&r=${revision}`} />
        ))}
      </div>
      <p className="made">
        in the picture:
        {([...(['texels', 'charts'] as const), ...(last.occlusion ? (['occlusion'] as const) : [])]).map((s) => (
          <Button key={s} className="word" aria-pressed={show === s} onClick={() => showBake(s)}>
            {s}
          </Button>
        ))}
      </p>
    </div>
  )
}

/** Changed says what has changed since the bake: what needs a new one, and what does not. */
function Changed({ data }: { data: BakeState }) {
  if (!data.last) return null
  const due = data.changes.filter((c) => !c.live)
  const live = data.changes.filter((c) => c.live)
  return (
    <div className="air-part" role="group" aria-label="Since the bake">
      <div className="air-head">
        <h2>Baked lights stay live</h2>
        <span className="quiet">until delivery</span>
      </div>
      {data.changes.length === 0 && <p className="quiet">Nothing has changed since the bake.</p>}
      <ul className="bake-changes">
        {due.map((c) => (
          <li key={c.name + c.why}>
            {c.light ? (
              <Button className="word" onClick={() => choose(c.light)}>
                {c.name}
              </Button>
            ) : (
              <b>{c.name}</b>
            )}{' '}
            {c.why}
            {c.light ? ': its layers are baked again' : ''}
          </li>
        ))}
        {live.map((c) => (
          <li key={c.name + c.why} className="quiet">
            {c.name} {c.why}: no new bake needed
          </li>
        ))}
      </ul>
      <p className="quiet">{data.last.summary.layersMB.toFixed(0)} MB of layers are kept, one for each light.</p>
    </div>
  )
}

/** Farm is the queue and who works it. */
function Farm({ data }: { data: BakeState }) {
  const { workers, queue } = data.farm
  const alive = workers.filter((w) => !w.lost).length
  return (
    <div className="air-part" role="group" aria-label="Who bakes">
      <div className="air-head">
        <h2>Who bakes</h2>
        <span className="quiet">
          {alive} {alive === 1 ? 'worker' : 'workers'}
        </span>
      </div>
      <ul className="bake-changes">
        {workers.map((w) => (
          <li key={w.name}>
            <b>{workerName(w)}</b> <span className="quiet">{w.lost ? 'no sign of life' : w.doing ? `at ${short(w.doing)}` : 'waits'}{w.rate > 0 ? ` · ${many(Math.round(w.rate))} samples a second` : ''}</span>
          </li>
        ))}
      </ul>
      <p className="made">
        <Button className="word" onClick={() => openPanel('finals')}>
          {queue.length > 1 ? `the queue: ${queue.length}` : 'the queue'}
        </Button>
      </p>
    </div>
  )
}
