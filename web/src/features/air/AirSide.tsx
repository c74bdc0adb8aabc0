import { Button } from '@mui/material'
import { useQuery } from '@tanstack/react-query'
import { useEffect } from 'react'
import type { Day, Light } from '../../api.gen'
import { api } from '../../kernel/client'
import { bearing, keyOfDay, know, setDay, sunTo, useDay } from '../../kernel/day'
import { lightEdits } from '../../kernel/lightEdits'
import { choose } from '../../kernel/look'
import { stopsText } from '../../kernel/number'
import { draft, edit, hold, useSetup, type Op } from '../../kernel/store'
import { lux } from '../../kernel/units'
import { startTool } from '../../picture/tool'
import { Tip } from '../../ui/Tip'
import { NumberField } from '../../ui/NumberField'
import { SliderField } from '../../ui/SliderField'
import { DayPart } from './DayPart'
import { FogPart } from './FogPart'
import { SkyPart } from './SkyPart'
import { Surroundings } from './Surroundings'

/** AirSide is the step's side: the lights of the sky, the day, the sky, and pictures of what lies around. */
export function AirSide() {
  const doc = useSetup((s) => s.doc)
  const id = useSetup((s) => s.id)
  const known = useDay()
  const key = keyOfDay(doc?.day)
  // What the server has not been asked about: after opening, after undo, from another window.
  const asked = useQuery({ queryKey: ['day', id, key], queryFn: () => api.day(id ?? 0, {}), enabled: id !== null && doc !== null && (key === '' || known.key !== key), gcTime: 60_000 })
  useEffect(() => {
    if (asked.data && key !== '') know(asked.data)
  }, [asked.data, key])
  if (!doc) return <section className="air" aria-label="Air" />
  const day = known.wished ?? doc.day ?? asked.data?.day
  const facts = known.key === key && key !== '' ? known.facts : (asked.data?.facts ?? known.facts)
  return (
    <section className="air" aria-label="Air">
      <Lights lights={doc.lights} />
      {day && facts ? (
        <>
          <Follows day={doc.day} standard={day} lights={doc.lights} />
          <DayPart day={day} facts={facts} sun={doc.lights[day.sun]?.name ?? 'the sun'} />
          <SkyPart day={day} facts={facts} />
        </>
      ) : (
        <p className="quiet">{asked.isError ? 'The server did not answer.' : 'working out the sky …'}</p>
      )}
      <FogPart fog={doc.fog} />
      <p className="air-part">
        <Tip title="Click a place in the picture: what arrives there, in a chrome and a grey ball">
          <Button variant="outlined" onClick={() => startTool('balls', null)}>
            set a chrome and a grey ball
          </Button>
        </Tip>
      </p>
      <Surroundings lights={doc.lights} day={doc.day} />
    </section>
  )
}

const far = (l: Light) => l.kind === 'sun' || l.kind === 'sky'

/** Lights are those that shine from beyond everything, with their stops. */
function Lights({ lights }: { lights: Record<string, Light> }) {
  const list = Object.entries(lights).filter(([, l]) => far(l))
  if (list.length === 0) return null
  return (
    <div className="air-part" role="group" aria-label="Lights of sun and sky">
      <h2>Sun and sky</h2>
      {list.map(([id, l]) => (
        <div key={id} className="air-row">
          <Button className="word" onClick={() => choose(id)}>
            {l.name}
          </Button>
          <span className="quiet">{l.kind === 'sun' ? `${lux(l.output * 2 ** l.stops)} square to it` : l.environment ? 'a picture' : l.air ? 'follows the sun' : 'a gradient'}</span>
          <NumberField label={`${l.name} stops`} value={l.stops} unit="st" min={-20} max={20} step={1 / 3} show={stopsText} onDraft={(v) => lightEdits.stops(id, l, v, false)} onDone={(v) => lightEdits.stops(id, l, v, true)} onReset={() => lightEdits.stops(id, l, 0, true)} />
        </div>
      ))}
    </div>
  )
}

/** Streaks are the clouds of a sky that was painted. */
function Streaks({ id, l }: { id: string; l: Light }) {
  const set = (v: number, done: boolean | 'held') => {
    const ops: Op[] = [{ op: 'add', path: `/lights/${id}/gradient/clouds`, value: v / 100 }]
    const label = `${l.name}: clouds ${v} %`
    if (done === 'held') hold(label, ops)
    else if (done) edit(label, ops)
    else draft(ops)
  }
  return <SliderField name="Clouds" of="Painted" says="How much of it streaks of cloud cover" unit="%" min={0} max={100} step={1} value={Math.round((l.gradient?.clouds ?? 0) * 100)} reset={0} set={set} />
}

const astray = 0.2 // degrees that a sun may be off before it is told

/** Follows says where the setup's sun and sky do not follow the day, and offers that they do. */
function Follows({ day, standard, lights }: { day: Day | undefined; standard: Day; lights: Record<string, Light> }) {
  if (!day) {
    const [id, painted] = Object.entries(lights).find(([, l]) => l.gradient) ?? []
    return (
      <div className="air-part">
        The sky is as it was painted.{' '}
        <Button className="word" onClick={() => setDay(standard, 'Sun and sky follow the day', true)}>
          Let sun and sky follow the day
        </Button>
        {id && painted && <Streaks id={id} l={painted} />}
      </div>
    )
  }
  const sun = lights[day.sun]
  const at = sun && bearing(sun.aim)
  const off = at ? Math.hypot(at.height - day.sky.sunHeight, ((((at.azimuth - day.sky.sunAzimuth) % 360) + 540) % 360) - 180) : 0
  if (!at || off < astray) return null
  return (
    <p className="air-part" role="status">
      {sun.name} has been turned by hand, {off.toFixed(0)}° from where the sky has it.{' '}
      <Button className="word" onClick={() => sunTo(day, at.height, at.azimuth, 'The sky goes with its sun', true)}>
        take the sky along
      </Button>{' '}
      <Button className="word" onClick={() => setDay(day, 'The sun goes back into its sky', true)}>
        put the sun back
      </Button>
    </p>
  )
}
