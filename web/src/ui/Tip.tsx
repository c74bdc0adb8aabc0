import { cloneElement } from 'react'

/** Placement is the side of its element on which a tip stands. */
export type Placement = 'top' | 'right' | 'bottom' | 'left'

/** Tip says more of what it stands on, with its key; it describes, and does not rename. It is shown by Tips. */
export function Tip({ title, placement = 'bottom', pointer = false, children }: { title: string | undefined; placement?: Placement; /** It stands at the pointer, not at the element. */ pointer?: boolean; children: React.ReactElement }) {
  return title ? cloneElement(children, { 'data-tip': title, 'data-tip-at': placement, 'data-tip-by': pointer ? 'pointer' : undefined } as object) : children
}
