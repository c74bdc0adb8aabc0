import { Button, Dialog, DialogActions, DialogContent, DialogTitle } from '@mui/material'
import type { Trouble as Said } from '../kernel/store'

/** Trouble says what was refused, and what to do. */
export default function Trouble({ said, close }: { said: Said; close: () => void }) {
  return (
    <Dialog open onClose={close} aria-labelledby="trouble">
      <DialogTitle id="trouble">{said.what}</DialogTitle>
      <DialogContent>{said.remedy && <p>What to do: {said.remedy}</p>}</DialogContent>
      <DialogActions>
        <Button variant="outlined" onClick={close}>
          Close
        </Button>
      </DialogActions>
    </Dialog>
  )
}
