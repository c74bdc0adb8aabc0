import { Button, ButtonBase } from '@mui/material'
import { useVirtualizer } from '@tanstack/react-virtual'
import { Eye } from '@phosphor-icons/react/dist/csr/Eye'
import { EyeSlash } from '@phosphor-icons/react/dist/csr/EyeSlash'
import { LockSimple } from '@phosphor-icons/react/dist/csr/LockSimple'
import { useMemo, useRef, useState } from 'react'
import type { Setup, StageFacts } from '../../api.gen'
import { NumberField } from '../../ui/NumberField'
import { askFor } from '../../ui/askFor'
import { tidy } from '../../kernel/number'
import { cameraNow, useLook } from '../../kernel/look'
import { addBackdrop, baseOf, change, entryOf, saidOf, tree } from '../../kernel/objectEdits'
import { Tip } from '../../ui/Tip'
import { Choice } from '../../ui/Choice'
import { Text } from '../../ui/Text'

/** Objects lists the level's objects and groups by name: found, hidden, renamed for the setup, told what they do. */
export function Objects({ doc, facts }: { doc: Setup; facts: StageFacts }) {
  const [find, setFind] = useState('')
  const [closed, setClosed] = useState<ReadonlySet<string>>(new Set())
  const chosen = useLook((s) => s.objects)
  const box = useRef<HTMLDivElement>(null)
  const all = useMemo(() => tree(facts.things), [facts])
  const text = find.trim().toLowerCase()
  const rows = useMemo(
    () =>
      all.filter((n) => {
        const said = entryOf(doc, n.path)?.[1]
        if (text) return `${n.path} ${said?.name ?? ''} ${said?.part ?? ''} ${said?.hidden ? 'hidden' : ''}`.toLowerCase().includes(text)
        for (const c of closed) if (n.path.startsWith(`${c}/`)) return false
        return true
      }),
    [all, doc, text, closed],
  )
  const list = useVirtualizer({ count: rows.length, getScrollElement: () => box.current, estimateSize: () => 24, overscan: 10 })
  const inner = new Set(all.filter((n, i) => all[i + 1]?.path.startsWith(`${n.path}/`)).map((n) => n.path))
  // What is chosen: the node whose objects are exactly those in hand.
  const open = rows.find((n) => n.things.length === chosen.length && n.things.every((t) => chosen.includes(t)))
  return (
    <>
      <Text className="find" type="search" label="Find objects" placeholder="Find an object, “mover”, “hidden”" value={find} onChange={(e) => setFind(e.target.value)} onKeyDown={(e) => e.stopPropagation()} />
      <div className="objects" ref={box} role="tree" aria-label="Objects">
        <div style={{ height: list.getTotalSize(), position: 'relative' }}>
          {list.getVirtualItems().map((v) => {
            const n = rows[v.index]
            if (!n) return null
            const said = saidOf(doc, n.path)
            const own = entryOf(doc, n.path)?.[1]
            const on = n.things.every((t) => chosen.includes(t)) && n.things.length > 0
            return (
              <div key={n.path} role="treeitem" aria-selected={on} aria-level={n.depth + 1} className={`object${on ? ' on' : ''}${said?.hidden ? ' gone' : ''}`} style={{ transform: `translateY(${v.start}px)`, paddingLeft: 6 + n.depth * 12 }}>
                {inner.has(n.path) && !text ? (
                  <ButtonBase className="fold" aria-label={closed.has(n.path) ? `Unfold ${n.name}` : `Fold ${n.name}`} onClick={() => setClosed((c) => new Set(c.has(n.path) ? [...c].filter((x) => x !== n.path) : [...c, n.path]))}>
                    {closed.has(n.path) ? '▸' : '▾'}
                  </ButtonBase>
                ) : (
                  <span className="fold" />
                )}
                <Tip title={n.path}>
                  <ButtonBase
                    className="what"
                    onClick={(e) => useLook.setState((s) => ({ objects: e.shiftKey || e.ctrlKey ? [...new Set([...s.objects, ...n.things])] : on ? [] : n.things }))}
                    onDoubleClick={() => askFor(`Name of ${n.name} in this setup`, own?.name || n.name, (name) => change(n.path, { name: name === n.name ? '' : name }, `called ${name}`, facts.things))}
                  >
                    {own?.name || n.name}
                    {own?.name ? <span className="quiet"> {n.name}</span> : null}
                  </ButtonBase>
                </Tip>
                <span className="quiet part">{said?.part && said.part !== 'static' ? said.part : ''}</span>
                {own?.locked && <LockSimple size={11} aria-label="locked" />}
                <Tip title={said?.hidden ? 'Not in the place for this setup. Put it back' : 'Take it out of the place for this setup'}>
                  <ButtonBase aria-label={said?.hidden ? `Put ${n.name} back` : `Take ${n.name} out`} onClick={() => change(n.path, { hidden: !said?.hidden }, said?.hidden ? 'put back' : 'taken out', facts.things)}>
                    {said?.hidden ? <EyeSlash size={13} /> : <Eye size={13} />}
                  </ButtonBase>
                </Tip>
              </div>
            )
          })}
        </div>
        {rows.length === 0 && <p className="none">Nothing of that name.</p>}
      </div>
      {open ? <OneObject doc={doc} facts={facts} path={open.path} name={open.name} triangles={open.triangles} /> : <p className="quiet">Click an object, here or in the picture, to say what it does and where it stands.</p>}
    </>
  )
}

function OneObject({ doc, facts, path, name, triangles }: { doc: Setup; facts: StageFacts; path: string; name: string; triangles: number }) {
  const own = entryOf(doc, path)?.[1]
  const said = saidOf(doc, path)
  const part = said?.part || 'static'
  const offset = own?.offset ?? [0, 0, 0]
  const locked = own?.locked ?? false
  const move = (k: number) => {
    const label = ['east', 'up', 'south'][k] ?? ''
    const put = (v: number, done: boolean) => change(path, { offset: offset.map((o, i) => (i === k ? Math.round(v * 1000) / 1000 : o)) as [number, number, number] }, `moved ${label} ${tidy(v)} m`, facts.things, done)
    return <NumberField key={k} label={`${name} moved ${label}`} value={offset[k] ?? 0} unit={`m ${label}`} min={-1000} max={1000} step={0.1} onDraft={(v) => put(v, false)} onDone={(v) => put(v, true)} onReset={() => put(0, true)} />
  }
  return (
    <div className="one-object" role="region" aria-label={`${name}, opened`}>
      <p>
        <b>{own?.name || name}</b> · {triangles.toLocaleString('en')} triangles
      </p>
      <div className="field-row">
        <Choice label={`What ${name} does`} value={part} options={(['static', 'mover', 'blocker'] as const).map((p) => ({ value: p, words: p, says: parts[p] }))} change={(p) => change(path, { part: p }, p, facts.things)} />
        <Button className="word" onClick={() => change(path, { locked: !locked }, locked ? 'unlocked' : 'locked', facts.things)}>
          {locked ? 'unlock' : 'lock'}
        </Button>
        <Button
          className="word"
          onClick={() => {
            const c = cameraNow()
            const base = baseOf(facts.things, path)
            const top = Math.max(...facts.things.filter((t) => t.path === path || t.path.startsWith(`${path}/`)).map((t) => t.hi[1]))
            if (c) addBackdrop(base, top - base[1], c.eye, own?.name || name)
          }}
        >
          put a sweep behind it
        </Button>
      </div>
      <div className="field-row" inert={locked}>
        {[0, 1, 2].map(move)}
        <NumberField label={`${name} turned`} value={own?.turn ?? 0} unit="° turned" min={-360} max={360} step={5} onDraft={(v) => change(path, { turn: v }, `turned ${tidy(v)}°`, facts.things, false)} onDone={(v) => change(path, { turn: v }, `turned ${tidy(v)}°`, facts.things)} onReset={() => change(path, { turn: 0 }, 'turned back', facts.things)} />
      </div>
    </div>
  )
}

const parts = {
  static: 'It stays where it is: in the lightmap',
  mover: 'It moves at run time: lit by probes, never in the lightmap',
  blocker: 'An unseen solid that only casts shadow',
}
