import { GridNine } from '@phosphor-icons/react/dist/csr/GridNine'
import { lazy } from 'react'
import type { Feature } from '../../kernel/feature'
import { Channels } from './Channels'
import { commands } from './commands'

const Body = lazy(() => import('./ChannelPanel'))

/** channels is which lights light which objects. */
export const channels: Feature = {
  id: 'channels',
  panels: [{ id: 'channels', name: 'Who lights whom', command: 'Who lights whom: channels', keys: 'Shift Y', icon: GridNine, body: () => <Body /> }],
  lightPart: Channels,
  commands,
}
