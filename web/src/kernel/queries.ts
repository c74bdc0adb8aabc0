import { useQuery } from '@tanstack/react-query'
import type { Target } from '../api.gen'
import { api } from './client'

const none: Target[] = []

/** useTargets are the devices that can be lit for. */
export const useTargets = (): Target[] => useQuery({ queryKey: ['targets'], queryFn: api.targets }).data ?? none
