import { Button, Dialog, DialogActions, DialogContent, DialogTitle } from '@mui/material'
import { useState } from 'react'
import { create } from 'zustand'
import { Text } from './Text'

/** late puts the keyboard on a field a moment after it appears, so that the key that opened it does not land in it. */
export const late = (el: HTMLInputElement | null) => {
  if (el && !el.dataset.met) {
    el.dataset.met = 'yes'
    setTimeout(() => el.focus(), 30)
  }
}

interface Question {
  title: string
  value: string
  answer: (v: string) => void
}

const useQuestion = create<{ question: Question | null }>(() => ({ question: null }))

/** askFor asks for a line of text; the answer comes only if there is one and it is new. */
export function askFor(title: string, value: string, answer: (v: string) => void) {
  useQuestion.setState({ question: { title, value, answer } })
}

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
