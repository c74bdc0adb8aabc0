import { features } from '../kernel/feature'
import { budget } from '../features/budget'
import { channels } from '../features/channels'
import { history } from '../features/history'
import { ladder } from '../features/ladder'
import { ledger } from '../features/ledger'
import { plot } from '../features/plot'
import { rigs } from '../features/rigs'
import { scene } from '../features/scene'
import { seeing } from '../features/seeing'
import { setups } from '../features/setups'
import { shelf } from '../features/shelf'
import { snags } from '../features/snags'
import { snapshots } from '../features/snapshots'
import { views } from '../features/views'
import { weigh } from '../features/weigh'

// The order in which they are shown.
features.push(scene, ledger, shelf, views, seeing, ladder, snapshots, weigh, plot, rigs, channels, history, snags, setups, budget)
