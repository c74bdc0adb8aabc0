import { Button, MenuItem, Select, Slider } from '@mui/material'
import { useQuery } from '@tanstack/react-query'
import type { Light, Warmth } from '../../api.gen'
import { hexToLinear, linearToHex } from '../../ui/colour'
import { ColourField } from '../../ui/ColourField'
import { giveBack } from '../../kernel/number'
import { NumberField } from '../../ui/NumberField'
import { api } from '../../kernel/client'
import { startTool } from '../../picture/tool'
import { useSetup } from '../../kernel/store'
import { cssColour, linear, temperature, type RGB } from '../../kernel/sums'
import { lightEdits, othersOf } from '../../kernel/lightEdits'
import { Tip } from '../../ui/Tip'
import { Text } from '../../ui/Text'

const mired = (k: number) => 1e6 / k

/** hexOf shows a light's colour as full as the screen allows. */
function hexOf(c: readonly number[]) {
  const m = Math.max(...c, 1e-9)
  return linearToHex(c.map((v) => v / m))
}

/** Tone is the colour of a light: a temperature with its tint, or a colour; and the gel before it. */
export function Tone({ id, l, warmth }: { id: string; l: Light; warmth: Warmth }) {
  const kelvin = l.colour.kelvin
  const warm = Array.from({ length: 9 }, (_, i) => cssColour(temperature(warmth, 1e6 / (mired(1500) + ((mired(12000) - mired(1500)) * i) / 8))))
  const own = linear(warmth, l.colour)
  // By as many mired for all that are chosen: they keep their difference.
  const from = mired(useSetup((s) => s.kept?.lights[id]?.colour.kelvin) ?? kelvin ?? 6500)
  const warmer = (v: number) => (k: number) => 1e6 / Math.max(mired(k) - v - from, 1e6 / 25000)
  return (
    <>
      <div className="field wide">
        <span className="label">{kelvin ? 'Warmth' : 'Colour'}</span>
        {kelvin ? (
          <Slider
            className="warmth"
            size="small"
            track={false}
            sx={{ '& .MuiSlider-rail': { background: `linear-gradient(90deg, ${warm.join(', ')})` } }}
            min={-mired(1500)}
            max={-mired(12000)}
            step={0.5}
            value={-mired(Math.min(Math.max(kelvin, 1500), 12000))}
            getAriaLabel={() => `${l.name} warmth`}
            getAriaValueText={() => `${kelvin} kelvin`}
            onChange={(e, v) => lightEdits.kelvin(id, l, 1e6 / -(v as number), e.type === 'keydown' && 'held', warmer(v as number))}
            onChangeCommitted={(e, v) => e.type !== 'keyup' && e.type !== 'keydown' && lightEdits.kelvin(id, l, 1e6 / -(v as number), true, warmer(v as number))}
          />
        ) : (
          <OwnColour id={id} l={l} own={own} />
        )}
        {kelvin ? <NumberField label={`${l.name} temperature`} value={kelvin} unit="K" others={() => othersOf(id, (q) => q.colour.kelvin)} min={800} max={25000} step={100} onDraft={(v, c) => lightEdits.kelvin(id, l, v, false, c)} onDone={(v, c) => lightEdits.kelvin(id, l, v, true, c)} /> : <span />}
      </div>
      <div className="word-row">
        {kelvin ? (
          <Button className="word" onClick={() => lightEdits.rgb(id, l, own)}>
            use a colour instead
          </Button>
        ) : (
          <Button className="word" onClick={() => lightEdits.kelvin(id, l, 4000)}>
            use a temperature
          </Button>
        )}
        <Tip title="Click a place in the picture: the light takes its colour">
          <Button className="word" onClick={() => startTool('colour', id)}>
            pick from the picture
          </Button>
        </Tip>
      </div>
      {kelvin ? <Tint id={id} l={l} /> : <div className="field" />}
      <Gel id={id} l={l} />
    </>
  )
}

/** OwnColour picks a colour, or takes it as a code. */
function OwnColour({ id, l, own }: { id: string; l: Light; own: RGB }) {
  return (
    <span className="pick">
      <ColourField label={`${l.name} colour`} hex={hexOf(own)} onDraft={(c) => lightEdits.rgb(id, l, c, false)} onDone={(c) => lightEdits.rgb(id, l, c)} />
      <Text
        className="hex"
        label={`${l.name} hex`}
        key={hexOf(own)}
        defaultValue={hexOf(own)}
        onKeyDown={(e) => {
          e.stopPropagation()
          if (e.key === 'Enter') giveBack(e.target as HTMLElement)
        }}
        onBlur={(e) => {
          const t = e.target.value.trim().replace(/^#?/, '#')
          if (/^#[0-9a-f]{6}$/i.test(t) && t.toLowerCase() !== hexOf(own) && t !== '#000000') lightEdits.rgb(id, l, hexToLinear(t))
          else e.target.value = hexOf(own)
        }}
      />
    </span>
  )
}

function Tint({ id, l }: { id: string; l: Light }) {
  const tint = l.colour.tint ?? 0
  return (
    <div className="field">
      <Tip title="Off the black-body curve, in thousandths of Duv: green above zero, magenta below">
        <span className="label">
          Tint
        </span>
      </Tip>
      <NumberField label={`${l.name} tint`} value={tint} others={() => othersOf(id, (q) => (q.colour.rgb ? undefined : (q.colour.tint ?? 0)))} min={-30} max={30} step={1} onDraft={(v, c) => lightEdits.tint(id, l, v, false, c)} onDone={(v, c) => lightEdits.tint(id, l, v, true, c)} onReset={() => lightEdits.tint(id, l, 0)} show={(v) => (v === 0 ? '0' : `${v > 0 ? '+' : '−'}${Math.abs(Math.round(v * 10) / 10)}${v > 0 ? ' green' : ' mag.'}`)} />
    </div>
  )
}

function Gel({ id, l }: { id: string; l: Light }) {
  const palette = useQuery({ queryKey: ['palette'], queryFn: api.palette, staleTime: Infinity })
  return (
    <div className="field">
      <span className="label">Gel</span>
      <Select className="text" value={l.colour.gel ?? ''} displayEmpty inputProps={{ 'aria-label': `${l.name} gel` }} onChange={(e) => lightEdits.gel(id, l, palette.data?.gels.find((g) => g.id === e.target.value) ?? null)}>
        <MenuItem value="">none</MenuItem>
        {palette.data?.gels.map((g) => (
          <MenuItem key={g.id} value={g.id}>
            {g.name}
          </MenuItem>
        ))}
      </Select>
    </div>
  )
}
