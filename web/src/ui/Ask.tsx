import { Button, Dialog, DialogActions, DialogContent, DialogTitle } from '@mui/material'
import { useState } from 'react'
import { useQuestion, type Question } from './askFor'
import { Text } from './Text'

/** Ask shows the question that is open. */
export function Ask() {
  const q = useQuestion((s) => s.question)
  const close = () => useQuestion.setState({ question: null })
  return (
    <Dialog open={q !== null} onClose={close} aria-labelledby="ask-title">
      {q && <Form key={q.title + q.value} q={q} close={close} />}
    </Dialog>
  )
}

function Form({ q, close }: { q: Question; close: () => void }) {
  const [text, setText] = useState(q.value)
  const done = () => {
    close()
    const t = text.trim()
    if (t && t !== q.value) q.answer(t)
  }
  return (
    <>
      <DialogTitle id="ask-title">{q.title}</DialogTitle>
      <DialogContent>
        <Text className="wide" autoFocus aria-labelledby="ask-title" value={text} max={80} onFocus={(e) => e.target.select()} onChange={(e) => setText(e.target.value)} onKeyDown={(e) => e.key === 'Enter' && done()} />
      </DialogContent>
      <DialogActions>
        <Button color="inherit" onClick={close}>
          Leave it
        </Button>
        <Button onClick={done}>Take it</Button>
      </DialogActions>
    </>
  )
}
