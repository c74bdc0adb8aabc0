import { create } from 'zustand'

/** TableValues is a table of colour: so many colours a side, RGB, red fastest. */
export interface TableValues {
  side: number
  rgb: Float32Array
}

/** useTables are the tables of colour that are here, by their hash; null while one is on its way. */
export const useTables = create<{ tables: Record<string, TableValues | null> }>(() => ({ tables: {} }))

/** wantTable fetches a table once. */
export function wantTable(hash: string) {
  if (hash in useTables.getState().tables) return
  const put = (t: TableValues | null) => useTables.setState((s) => ({ tables: { ...s.tables, [hash]: t } }))
  put(null)
  void fetch(`/api/tables/${hash}`)
    .then(async (r) => {
      if (!r.ok) throw new Error(r.statusText)
      put({ side: Number(r.headers.get('X-Side')), rgb: new Float32Array(await r.arrayBuffer()) })
    })
    .catch(() => {
      // Asked for again with the next change.
      setTimeout(() => useTables.setState((s) => ({ tables: Object.fromEntries(Object.entries(s.tables).filter(([k]) => k !== hash)) })), 3000)
    })
}
