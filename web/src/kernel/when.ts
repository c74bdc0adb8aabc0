/** when writes a time: of today by the clock, else with its day. */
export const when = (made: string) => {
  const d = new Date(made)
  const today = new Date().toDateString() === d.toDateString()
  return d.toLocaleString('en-GB', today ? { hour: '2-digit', minute: '2-digit' } : { day: 'numeric', month: 'short', hour: '2-digit', minute: '2-digit' })
}
