import { useQuery } from '@tanstack/react-query'
import { useMemo } from 'react'
import type { Target } from '../api.gen'
import { api } from './client'
import { useSetup } from './store'

const none: Target[] = []

/** useTargets are the devices that can be lit for: those that ship, and the setup's own. */
export function useTargets(): Target[] {
  const shipped = useQuery({ queryKey: ['targets'], queryFn: api.targets }).data ?? none
  const own = useSetup((s) => s.doc?.targets)
  return useMemo(() => (own ? [...shipped.filter((t) => !own[t.id]), ...Object.entries(own).map(([id, t]) => ({ ...t, id }))] : shipped), [shipped, own])
}

/** useDevice is the target of the setup. */
export function useDevice(): Target | undefined {
  const all = useTargets()
  const id = useSetup((s) => s.doc?.target)
  return all.find((t) => t.id === id) ?? all[0]
}
