import { Button, ButtonBase } from '@mui/material'
import { useMemo, useState } from 'react'
import type { Setup, StageFacts, Surface } from '../../api.gen'
import { NumberField } from '../../ui/NumberField'
import { linearToHex } from '../../ui/colour'
import { useLook } from '../../kernel/look'
import { luminance } from '../../kernel/sums'
import { paint } from '../../kernel/objectEdits'
import { Tip } from '../../ui/Tip'
import { ColourField } from '../../ui/ColourField'
import { Text } from '../../ui/Text'

const lum = (c: readonly number[]) => luminance([c[0] ?? 0, c[1] ?? 0, c[2] ?? 0])

/** Materials tunes surfaces for light: what the file has is one click away. */
export function Materials({ doc, facts }: { doc: Setup; facts: StageFacts }) {
  const [find, setFind] = useState('')
  const [open, setOpen] = useState<string | null>(null)
  const chosen = useLook((s) => s.objects)
  const inHand = useMemo(() => new Set(chosen.flatMap((o) => facts.things[o]?.materials ?? [])), [chosen, facts])
  const text = find.trim().toLowerCase()
  const list = facts.surfaces.filter((s) => (text ? s.name.toLowerCase().includes(text) : inHand.size === 0 || inHand.has(s.name)))
  const changed = (s: Surface) => Object.values(doc.materials ?? {}).find((m) => m.name === s.name)
  return (
    <>
      <Text className="find" type="search" label="Find materials" placeholder={inHand.size ? 'Those of the chosen objects; find any' : 'Find a material'} value={find} onChange={(e) => setFind(e.target.value)} onKeyDown={(e) => e.stopPropagation()} />
      <ul className="materials">
        {list.map((s) => {
          const m = changed(s)
          const colour = m?.colour ?? s.colour
          const rough = m?.roughness ?? s.roughness
          const metal = m?.metal ?? s.metal
          const emission = m?.emission ?? s.emission
          const y = lum(emission)
          const reset = (what: 'colour' | 'roughness' | 'metal' | 'emission') =>
            m?.[what] !== undefined ? (
              <Tip title="As in the file">
                <Button className="word" onClick={() => paint(s, { [what]: null }, `${what} as in the file`)}>
                  file
                </Button>
              </Tip>
            ) : (
              <span />
            )
          return (
            <li key={s.name} className={m ? 'changed' : ''}>
              <ButtonBase className="what" aria-expanded={open === s.name} onClick={() => setOpen(open === s.name ? null : s.name)}>
                <span className="swatch" style={{ background: linearToHex(colour) }} />
                {s.name}
                <span className="quiet">
                  {' '}
                  {s.textured ? 'textured · ' : ''}
                  {m ? 'changed' : ''}
                </span>
              </ButtonBase>
              {open === s.name && (
                <div className="material" role="region" aria-label={`${s.name}, opened`}>
                  <span>Colour</span>
                  <ColourField label={`${s.name} colour`} hex={linearToHex(colour)} onDraft={(c) => paint(s, { colour: c }, '', false)} onDone={(c) => paint(s, { colour: c }, 'colour')} />
                  {reset('colour')}
                  <span>Roughness</span>
                  <NumberField label={`${s.name} roughness`} value={rough} min={0} max={1} step={0.05} onDraft={(v) => paint(s, { roughness: v }, '', false)} onDone={(v) => paint(s, { roughness: Math.round(v * 1000) / 1000 }, `roughness ${v.toFixed(2)}`)} />
                  {reset('roughness')}
                  <span>Metal</span>
                  <NumberField label={`${s.name} metal`} value={metal} min={0} max={1} step={0.05} onDraft={(v) => paint(s, { metal: v }, '', false)} onDone={(v) => paint(s, { metal: Math.round(v * 1000) / 1000 }, `metal ${v.toFixed(2)}`)} />
                  {reset('metal')}
                  <span>Shines</span>
                  <NumberField label={`${s.name} emission`} value={y} unit="cd/m²" min={0} max={1e6} step={1.1} geometric onDraft={() => undefined} onDone={(v) => paint(s, { emission: (y > 0 ? emission.map((e) => (e * v) / y) : [v, v, v]) as [number, number, number] }, `shines ${v.toFixed(0)} cd/m²`)} />
                  {reset('emission')}
                </div>
              )}
            </li>
          )
        })}
      </ul>
    </>
  )
}
