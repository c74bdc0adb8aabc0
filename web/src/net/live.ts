import { person, windowName } from './client'
import { hear, useSetup, type News } from '../setup/store'

/** connect keeps a socket to a setup open, coming back after a loss. Returns how to end it. */
export function connect(id: number): () => void {
  let socket: WebSocket | null = null
  let ended = false
  let tries = 0
  let timer: ReturnType<typeof setTimeout> | undefined
  const open = () => {
    const view = useSetup.getState().view
    const at = location.protocol === 'https:' ? 'wss' : 'ws'
    socket = new WebSocket(`${at}://${location.host}/api/setups/${id}/live?person=${person}&window=${windowName}&view=${encodeURIComponent(view)}`)
    socket.onmessage = (e) => {
      tries = 0
      hear(JSON.parse(e.data as string) as News)
    }
    socket.onclose = () => {
      if (ended) return
      useSetup.setState({ connected: false })
      timer = setTimeout(open, Math.min(250 * 2 ** tries++, 3000))
    }
  }
  open()
  const stop = useSetup.subscribe((s, before) => {
    if (s.view !== before.view && socket?.readyState === WebSocket.OPEN) socket.send(JSON.stringify({ type: 'look', view: s.view }))
  })
  return () => {
    ended = true
    stop()
    clearTimeout(timer)
    socket?.close()
  }
}
