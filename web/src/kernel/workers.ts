import type { Worker } from '../api.gen'

/** workerName is what a worker is called: by its machine and process, without the time it began at. */
export const workerName = (w: Worker) => (w.here ? 'this server' : w.name.replace(/-\d{12,}$/, ''))
