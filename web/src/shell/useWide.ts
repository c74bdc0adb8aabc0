import { useMediaQuery } from '@mui/material'

/** useWide tells whether the open panel has room for a column of its own. */
export const useWide = () => useMediaQuery('(min-width: 1600px)')
