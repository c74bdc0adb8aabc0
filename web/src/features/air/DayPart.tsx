import { Button } from '@mui/material'
import { useQuery } from '@tanstack/react-query'
import { useRef } from 'react'
import type { Day, Facts, Moment } from '../../api.gen'
import { api } from '../../kernel/client'
import { clock, fromClock, setDay, sunTo } from '../../kernel/day'
import { draft, eraNow } from '../../kernel/store'
import { lux } from '../../kernel/units'
import { Choice } from '../../ui/Choice'
import { NumberField } from '../../ui/NumberField'
import { Text } from '../../ui/Text'
import { Tip } from '../../ui/Tip'
import { beam } from './commands'
import { MoonPart } from './MoonPart'

const wide = 330
const high = 64

/** DayPart is the day: its hours as a strip, the sun by the clock or by hand. */
export function DayPart({ day, facts, sun }: { day: Day; facts: Facts; sun: string }) {
  const kelvin = facts.sunKelvin > 0 ? ` · ${Math.round(facts.sunKelvin / 10) * 10} K` : ''
  return (
    <div className="air-part" role="group" aria-label="Day">
      <div className="air-head">
        <h2>Day</h2>
        <Choice
          label="What the sun goes by"
          value={day.byClock ? 'clock' : 'hand'}
          options={[
            { value: 'clock', words: 'by the clock', says: 'Place, date and hour say where it stands' },
            { value: 'hand', words: 'by hand', says: 'Its height and azimuth are set' },
          ]}
          change={(v) => setDay({ ...day, byClock: v === 'clock' }, v === 'clock' ? 'The sun goes by the clock' : 'The sun goes by hand', true)}
        />
      </div>
      <Strip day={day} facts={facts} />
      <p className="air-facts">
        <span>
          {day.byClock ? `${clock(day.hour)} · ` : ''}sun {facts.sunHeight.toFixed(1)}° high
        </span>
        <span>
          sun {lux(facts.sunLux)} · sky {lux(facts.skyLux)}
          {kelvin}
        </span>
      </p>
      {day.byClock ? <ByClock day={day} /> : <ByHand day={day} />}
      <div className="air-row">
        <Tip title={`Click a place in the picture: ${sun} is turned so that its beam falls there, and the sky with it`}>
          <Button variant="outlined" onClick={beam}>
            click where the beam falls
          </Button>
        </Tip>
        {facts.shadow > 0 && (
          <>
            <span className="quiet">shadow</span>
            <NumberField label="Length of a shadow for each height" value={facts.shadow} unit="× height" min={0.01} max={30} step={1.1} geometric show={(v) => v.toFixed(v < 10 ? 1 : 0)} onDraft={(v) => sunTo(day, heightOf(v), day.sky.sunAzimuth, '', false)} onDone={(v) => sunTo(day, heightOf(v), day.sky.sunAzimuth, `Shadows ${v.toFixed(1)} times as long as high`, true)} />
          </>
        )}
      </div>
      <MoonPart day={day} facts={facts} />
    </div>
  )
}

const heightOf = (shadow: number) => (Math.atan(1 / shadow) * 180) / Math.PI

/** Strip is the sky through the day, with the sun's and the sky's light over it; the hour is dragged along it. */
function Strip({ day, facts }: { day: Day; facts: Facts }) {
  const box = useRef<SVGSVGElement>(null)
  const drag = useRef<number | null>(null)
  const { latitude, longitude, date, zone, north, sky } = day
  const key = [latitude, longitude, date, zone, north, sky.turbidity, sky.clouds, sky.albedo].join()
  const strip = useQuery({ queryKey: ['strip', key], queryFn: () => api.strip({ ...day, sun: '', dome: '' }), staleTime: Infinity, placeholderData: (p) => p })
  const to = (hour: number, done: boolean | 'held') => setDay({ ...day, byClock: true, hour }, `Hour ${clock(hour)}`, done)
  const hourAt = (e: React.PointerEvent) => {
    const r = box.current?.getBoundingClientRect()
    if (!r) return day.hour
    return Math.round(Math.min(Math.max((e.clientX - r.left) / r.width, 0), 1) * 24 * 12) / 12 // five minutes
  }
  const m = strip.data ?? []
  return (
    <svg
      ref={box}
      className="day-strip"
      viewBox={`0 0 ${wide} ${high}`}
      preserveAspectRatio="none"
      role="slider"
      tabIndex={0}
      aria-label="Hour of the day"
      aria-valuemin={0}
      aria-valuemax={24}
      aria-valuenow={day.hour}
      aria-valuetext={`${clock(day.hour)}, sun ${facts.sunHeight.toFixed(0)} degrees high`}
      onPointerDown={(e) => {
        if (e.button !== 0) return
        e.currentTarget.setPointerCapture(e.pointerId)
        drag.current = eraNow()
        to(hourAt(e), false)
      }}
      onPointerMove={(e) => drag.current === eraNow() && to(hourAt(e), false)}
      onPointerUp={(e) => {
        if (drag.current === eraNow()) to(hourAt(e), true)
        drag.current = null
      }}
      onPointerCancel={() => {
        drag.current = null
        draft([])
      }}
      onKeyDown={(e) => {
        const by = { ArrowRight: 0.25, ArrowUp: 0.25, ArrowLeft: -0.25, ArrowDown: -0.25, PageUp: 1, PageDown: -1 }[e.key]
        if (by === undefined) return
        e.preventDefault()
        e.stopPropagation()
        to(Math.min(Math.max(day.hour + by * (e.shiftKey ? 1 / 3 : 1), 0), 24), 'held')
      }}
    >
      <Hours moments={m} />
      {day.byClock && <line className="now" x1={(day.hour / 24) * wide} x2={(day.hour / 24) * wide} y1={0} y2={high} />}
    </svg>
  )
}

/** Hours are the colours of the sky and the two curves of light, each decade of lux as high as the next. */
function Hours({ moments }: { moments: Moment[] }) {
  const step = wide / Math.max(moments.length - 1, 1)
  const y = (v: number) => high - (Math.log10(Math.max(v, 1)) / 5.2) * (high - 4)
  const curve = (of: (m: Moment) => number) => `M${moments.map((m, i) => `${(i * step).toFixed(1)} ${y(of(m)).toFixed(1)}`).join('L')}`
  if (moments.length === 0) return null
  return (
    <>
      <defs>
        {(['top', 'foot'] as const).map((end) => (
          <linearGradient key={end} id={`day-${end}`}>
            {moments.map((m) => (
              <stop key={m.hour} offset={m.hour / 24} stopColor={m[end]} />
            ))}
          </linearGradient>
        ))}
        <linearGradient id="day-down" x2="0" y2="1">
          <stop offset="0.15" stopColor="#000" />
          <stop offset="1" stopColor="#fff" />
        </linearGradient>
        <mask id="day-low">
          <rect width={wide} height={high} fill="url(#day-down)" />
        </mask>
      </defs>
      <rect width={wide} height={high} fill="url(#day-top)" />
      <rect width={wide} height={high} fill="url(#day-foot)" mask="url(#day-low)" />
      <path className="sky-lux" d={curve((m) => m.skyLux)} />
      <path className="sun-lux" d={curve((m) => m.sunLux)} />
    </>
  )
}

/** isDate tells days that there are, written as 2026-10-14. */
const isDate = (text: string) => /^\d{4}-\d{2}-\d{2}$/.test(text) && new Date(`${text}T00:00:00Z`).toJSON()?.startsWith(text)

function ByClock({ day }: { day: Day }) {
  const set = (part: Partial<Day>, label: string, done = true) => setDay({ ...day, ...part }, label, done)
  return (
    <div className="field-row">
      <Text
        key={`hour ${day.hour}`}
        label="Hour"
        className="hour"
        defaultValue={clock(day.hour)}
        onKeyDown={(e) => e.key === 'Enter' && (e.target as HTMLElement).blur()}
        onBlur={(e) => {
          const hour = fromClock(e.target.value)
          if (hour === null) e.target.value = clock(day.hour)
          else if (clock(hour) !== clock(day.hour)) set({ hour }, `Hour ${clock(hour)}`)
        }}
      />
      <Text
        key={`date ${day.date}`}
        label="Date, year-month-day"
        className="date"
        defaultValue={day.date}
        onKeyDown={(e) => e.key === 'Enter' && (e.target as HTMLElement).blur()}
        onBlur={(e) => {
          const date = e.target.value.trim()
          if (!isDate(date)) e.target.value = day.date
          else if (date !== day.date) set({ date }, `Date ${date}`)
        }}
      />
      <NumberField label="Hours that the clock is ahead of UTC" value={day.zone} unit="h of UTC" min={-14} max={14} step={1} onDraft={(v) => set({ zone: v }, '', false)} onDone={(v) => set({ zone: v }, `Clock ${v} hours ahead of UTC`)} />
      <NumberField label="Latitude, north positive" value={day.latitude} unit="° N" min={-90} max={90} step={1} onDraft={(v) => set({ latitude: v }, '', false)} onDone={(v) => set({ latitude: v }, `Latitude ${v.toFixed(1)}°`)} />
      <NumberField label="Longitude, east positive" value={day.longitude} unit="° E" min={-180} max={180} step={1} onDraft={(v) => set({ longitude: v }, '', false)} onDone={(v) => set({ longitude: v }, `Longitude ${v.toFixed(1)}°`)} />
      <NumberField label="North of the place, clockwise from −Z" value={day.north} unit="° north" min={-360} max={360} step={5} onDraft={(v) => set({ north: v }, '', false)} onDone={(v) => set({ north: v }, `North ${v.toFixed(0)}°`)} onReset={() => set({ north: 0 }, 'North as the file has it')} />
    </div>
  )
}

const tenth = (v: number) => v.toFixed(1)

function ByHand({ day }: { day: Day }) {
  const { sunHeight, sunAzimuth } = day.sky
  return (
    <div className="field-row">
      <NumberField label="Height of the sun" value={sunHeight} unit="° high" min={-90} max={90} step={1} show={tenth} onDraft={(v) => sunTo(day, v, sunAzimuth, '', false)} onDone={(v) => sunTo(day, v, sunAzimuth, `Sun ${v.toFixed(1)}° high`, true)} />
      <NumberField label="Azimuth of the sun" value={sunAzimuth} unit="° round" min={-360} max={360} step={5} show={tenth} onDraft={(v) => sunTo(day, sunHeight, v, '', false)} onDone={(v) => sunTo(day, sunHeight, v, `Sun at ${v.toFixed(0)}°`, true)} />
    </div>
  )
}
