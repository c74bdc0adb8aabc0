import { ButtonBase } from '@mui/material'
import type { Light } from '../../api.gen'
import { useSetup } from '../../kernel/store'
import { channelName, channelNumbers } from '../../kernel/channels'
import { lightEdits } from '../../kernel/lightEdits'
import { Tip } from '../../ui/Tip'

/** Channels are which of the eight a light is on: it lights what shares one with it. */
export function Channels({ id, l }: { id: string; l: Light }) {
  const names = useSetup((s) => s.doc?.channels)
  return (
    <div className="field wide">
      <span className="label">Channels</span>
      <span className="bits" role="group" aria-label={`${l.name} channels`}>
        {channelNumbers.map((n) => {
          const on = Boolean(l.channels & (1 << (n - 1)))
          return (
            <Tip key={n} title={channelName(names, n)}>
              <ButtonBase aria-pressed={on} aria-label={`${l.name} ${channelName(names, n)}`} onClick={() => lightEdits.channels(id, l, l.channels ^ (1 << (n - 1)), `${on ? 'off' : 'on'} ${channelName(names, n)}`)}>
                {n}
              </ButtonBase>
            </Tip>
          )
        })}
      </span>
      <span />
    </div>
  )
}
