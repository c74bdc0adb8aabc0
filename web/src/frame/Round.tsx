import { Cube } from '@phosphor-icons/react/dist/csr/Cube'
import { Sun } from '@phosphor-icons/react/dist/csr/Sun'
import type { Target } from '../api.gen'
import { useSetup } from '../setup/store'
import { goToStep, usePanes, type Step } from './panes'
import { Tip } from '../ui/Tip'

/** Round is the steps of the work, in the order in which they are taken. */
export function Round({ targets }: { targets: Target[] }) {
  const step = usePanes((s) => s.step)
  const target = useSetup((s) => s.doc?.target)
  const lights = useSetup((s) => Object.values(s.doc?.lights ?? {}).length)
  const off = useSetup((s) => Object.values(s.doc?.lights ?? {}).filter((l) => l.off).length)
  const steps: { step: Step; name: string; says: string; icon: React.ReactNode }[] = [
    { step: 'scene', name: 'Scene', says: `The place, its objects and materials; for ${targets.find((t) => t.id === target)?.name ?? 'a target'}`, icon: <Cube size={20} /> },
    { step: 'light', name: 'Light', says: `${lights} lights${off ? `, ${off} off` : ''}`, icon: <Sun size={20} /> },
  ]
  return (
    <nav className="round" aria-label="Steps of the work">
      {steps.map((s) => (
        <Tip key={s.step} title={s.says} placement="right">
          <button type="button" className={step === s.step ? 'on' : ''} aria-current={step === s.step ? 'step' : undefined} onClick={() => goToStep(s.step)}>
            {s.icon}
            {s.name}
          </button>
        </Tip>
      ))}
    </nav>
  )
}
