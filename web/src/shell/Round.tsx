import { ButtonBase } from '@mui/material'
import { steps, type Step } from '../kernel/feature'
import { goToStep, usePanes } from '../kernel/panes'
import { Tip } from '../ui/Tip'

/** Round is the steps of the work, in the order in which they are taken. */
export function Round() {
  return (
    <nav className="round" aria-label="Steps of the work">
      {steps().map((s) => (
        <OneStep key={s.id} step={s} />
      ))}
    </nav>
  )
}

function OneStep({ step }: { step: Step }) {
  const here = usePanes((s) => s.step === step.id)
  return (
    <Tip title={step.useSays()} placement="right">
      <ButtonBase className={here ? 'on' : ''} aria-current={here ? 'step' : undefined} onClick={() => goToStep(step.id)}>
        <step.icon size={20} />
        {step.name}
      </ButtonBase>
    </Tip>
  )
}
