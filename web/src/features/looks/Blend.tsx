import { Button, MenuItem, Select } from '@mui/material'
import { useRef, useState } from 'react'
import type { Override, Setup } from '../../api.gen'
import { api } from '../../kernel/client'
import { lookName, newLook, tryBlend } from '../../kernel/lookEdits'
import { draft, useSetup } from '../../kernel/store'
import { SliderField } from '../../ui/SliderField'

/** useBlend asks what lies between two looks, one question at a time and always the newest, and shows it. */
function useBlend() {
  const setup = useSetup((s) => s.id)
  const [made, setMade] = useState<Record<string, Override> | null>(null)
  const going = useRef(false)
  const next = useRef<[string, string, number] | null>(null)
  const show = (first: string, second: string, share: number) => {
    next.current = [first, second, share]
    if (going.current) return
    going.current = true
    next.current = null
    void api
      .blend(setup ?? 0, { first, second, share: share / 100 })
      .then((a) => {
        setMade(a.overrides)
        tryBlend('between', a.overrides)
      })
      .catch(() => setMade(null))
      .finally(() => {
        going.current = false
        if (next.current) show(...next.current)
      })
  }
  return { made, setMade, show }
}

/** Blend shows what lies between two looks, and keeps it as one. */
export function Blend({ doc, all }: { doc: Setup; all: string[] }) {
  const [pair, setPair] = useState<[string, string]>(['', all[1] ?? ''])
  const [share, setShare] = useState(50)
  const { made, setMade, show } = useBlend()
  const name = `${lookName(doc, pair[0])} to ${lookName(doc, pair[1])}, ${Math.round(share)} %`
  const end = () => {
    setMade(null)
    draft([])
  }
  const choose = (k: 0 | 1, v: string) => {
    setPair(k === 0 ? [v, pair[1]] : [pair[0], v])
    end()
  }
  const select = (k: 0 | 1, label: string) => (
    <Select size="small" displayEmpty inputProps={{ 'aria-label': label }} value={pair[k]} onChange={(e) => choose(k, e.target.value)}>
      {all.map((id) => (
        <MenuItem key={id} value={id}>
          {lookName(doc, id)}
        </MenuItem>
      ))}
    </Select>
  )
  return (
    <div className="look-part" role="group" aria-label="Between two looks">
      <h2>Between two</h2>
      <div className="field-row">
        {select(0, 'From')} to {select(1, 'To')}
      </div>
      <SliderField
        name="Share"
        of="Blend"
        says="0 is the first, 100 the second: levels in stops, temperatures in mired, fog by its density"
        unit="%"
        min={0}
        max={100}
        step={5}
        value={share}
        set={(v) => {
          setShare(v)
          show(pair[0], pair[1], v)
        }}
      />
      {made && (
        <span className="actions">
          <Button
            variant="outlined"
            onClick={() => {
              draft([])
              newLook(name, made)
              setMade(null)
            }}
          >
            keep as a look
          </Button>
          <Button className="word" onClick={end}>
            leave it
          </Button>
        </span>
      )}
    </div>
  )
}
