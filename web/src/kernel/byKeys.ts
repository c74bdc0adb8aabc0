/** byKeys tells whether the last that was done was done by a key, and not by a pointer. */
export const byKeys = { now: false }

window.addEventListener('keydown', (e) => void (byKeys.now = !['Shift', 'Control', 'Alt', 'Meta'].includes(e.key) || byKeys.now), true)
window.addEventListener('pointerdown', () => void (byKeys.now = false), true)
