import { lazy, Suspense, useEffect, useRef, useState } from 'react'
import { importFile, Refused } from '../../kernel/client'
import { importing } from '../../kernel/importing'
import { complain } from '../../kernel/store'

const LinearProgress = lazy(() => import('@mui/material/LinearProgress'))

/** Import brings a GLB in, dropped anywhere in the window or chosen. */
export function Import({ done }: { done: (id: number) => void }) {
  const [going, setGoing] = useState<{ name: string; share: number } | null>(null)
  const input = useRef<HTMLInputElement>(null)
  useEffect(() => {
    importing.choose = () => input.current?.click()
  }, [])

  const begin = useRef((file: File | undefined) => {
    if (!file) return
    if (!/\.(glb|gltf)$/i.test(file.name)) {
      complain({ what: `${file.name} is not a place.`, remedy: 'Drop a .glb file: glTF 2.0 with everything in one file.' })
      return
    }
    setGoing({ name: file.name, share: 0 })
    importFile(file, (share) => setGoing({ name: file.name, share })).then(
      (r) => {
        setGoing(null)
        done(r.id)
      },
      (e: unknown) => {
        setGoing(null)
        complain(e instanceof Refused ? e.fault : { what: 'The file could not be brought in.', remedy: 'Try again.' })
      },
    )
  })

  const over = useDrop(begin)
  return (
    <>
      <input
        ref={input}
        type="file"
        accept=".glb,.gltf"
        hidden
        data-testid="import-file"
        onChange={(e) => {
          begin.current(e.target.files?.[0])
          e.target.value = ''
        }}
      />
      {over && (
        <div className="drop">
          <p>Drop a GLB file to light it</p>
        </div>
      )}
      {going && (
        <div className="going" role="status">
          <span>{going.share < 1 ? `Bringing in ${going.name}` : `Reading ${going.name} and metering its views`}</span>
          <Suspense fallback={null}>
            <LinearProgress variant={going.share < 1 ? 'determinate' : 'indeterminate'} value={100 * going.share} />
          </Suspense>
        </div>
      )}
    </>
  )
}

/** useDrop takes a file that is dropped anywhere in the window, and tells whether one is over it. */
function useDrop(begin: React.RefObject<(file: File | undefined) => void>) {
  const [over, setOver] = useState(false)
  useEffect(() => {
    let deep = 0
    const files = (e: DragEvent) => e.dataTransfer?.types.includes('Files')
    const enter = (e: DragEvent) => {
      if (files(e) && ++deep > 0) setOver(true)
    }
    const leave = (e: DragEvent) => {
      if (files(e) && --deep <= 0) setOver(false)
    }
    const above = (e: DragEvent) => files(e) && e.preventDefault()
    const drop = (e: DragEvent) => {
      e.preventDefault()
      deep = 0
      setOver(false)
      begin.current(e.dataTransfer?.files[0])
    }
    window.addEventListener('dragenter', enter)
    window.addEventListener('dragleave', leave)
    window.addEventListener('dragover', above)
    window.addEventListener('drop', drop)
    return () => {
      window.removeEventListener('dragenter', enter)
      window.removeEventListener('dragleave', leave)
      window.removeEventListener('dragover', above)
      window.removeEventListener('drop', drop)
    }
  }, [begin])
  return over
}
