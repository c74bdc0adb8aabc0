import { useQuery } from '@tanstack/react-query'
import type { BakedAt, BakeState, Differs, Estimate, GivesBaked, ProbeDot, Status } from '../../api.gen'
import { asked, sent } from '../../kernel/client'
import type { V3 } from '../../kernel/camera'
import { usePanes } from '../../kernel/panes'
import { lampsNow, useSetup } from '../../kernel/store'
import { finest } from '../../kernel/sums'
import { queryClient } from '../../kernel/queryClient'

const at = (id: number) => `/api/setups/${id}/bake`

/** over tells the bakes of which nothing more comes. */
export const over = (s: Status | null | undefined) => !s || ['done', 'stopped', 'failed'].includes(s.state)

/** useBake is how the setup's bake stands; asked again and again while one is at work. */
export function useBake() {
  const id = useSetup((s) => s.id)
  const revision = useSetup((s) => s.revision)
  const here = usePanes((s) => s.step === 'bake')
  return useQuery({
    queryKey: ['bake', id, revision],
    queryFn: () => asked<BakeState>(at(id ?? 0)),
    enabled: id !== null,
    placeholderData: (p) => p,
    refetchInterval: (q) => (over(q.state.data?.bake) ? (here ? 6000 : false) : 700),
  })
}

/** useEstimate is what a bake of some quality would take. */
export function useEstimate(quality: string, wanted: boolean) {
  const id = useSetup((s) => s.id)
  const rules = useSetup((s) => JSON.stringify([s.doc?.bake, s.doc?.objects]))
  return useQuery({ queryKey: ['bake-estimate', id, quality, rules], queryFn: () => asked<Estimate>(`${at(id ?? 0)}/estimate/${quality}`), enabled: id !== null && wanted, staleTime: Infinity, retry: false })
}

/** useFrameKey names the finest whole frame of what is looked at. */
export function useFrameKey() {
  const frames = useSetup((s) => s.frames[s.sight])
  const lamps = useSetup(lampsNow)
  const f = finest(frames, lamps)
  return f ? { key: f.frame, samples: f.samples, width: f.width, height: f.height } : null
}

/** useSmallFrame names a whole frame that is small enough to be compared quickly. */
function useSmallFrame() {
  const frames = useSetup((s) => s.frames[s.sight])
  const lamps = useSetup(lampsNow)
  const whole = finest(frames, lamps)
  const small = Object.values(frames ?? {})
    .filter((f) => f.width >= 200 && whole !== undefined && whole !== null && f.level <= whole.level)
    .sort((a, b) => a.width - b.width)[0]
  return small ? { key: small.frame, samples: small.samples } : null
}

/** useDiffers is how the run-time picture differs from the reference here. */
export function useDiffers(bake: number | undefined) {
  const id = useSetup((s) => s.id)
  const revision = useSetup((s) => s.revision)
  const f = useSmallFrame()
  const rough = f ? Math.min(f.samples, 4) : 0
  return useQuery({ queryKey: ['bake-differs', id, revision, bake, f?.key, rough], queryFn: () => asked<Differs | null>(`${at(id ?? 0)}/differs/${f?.key}`), enabled: id !== null && bake !== undefined && f !== null, placeholderData: (p) => p, retry: false })
}

/** useStrengths is what lights give here before and after the bake. */
export function useStrengths() {
  const id = useSetup((s) => s.id)
  const revision = useSetup((s) => s.revision)
  const f = useFrameKey()
  return useQuery({ queryKey: ['bake-strengths', id, revision, f?.key], queryFn: () => asked<GivesBaked[]>(`${at(id ?? 0)}/strengths/${f?.key}`), enabled: id !== null && f !== null, placeholderData: (p) => p, retry: false })
}

/** useDots are the bake's probes. */
export function useDots(bake: number | undefined, wanted: boolean) {
  const id = useSetup((s) => s.id)
  const revision = useSetup((s) => s.revision)
  return useQuery({ queryKey: ['bake-dots', id, bake, revision], queryFn: () => asked<ProbeDot[]>(`${at(id ?? 0)}/probes`), enabled: id !== null && bake !== undefined && wanted, placeholderData: (p) => p, retry: false })
}

/** useBall is what a mover would get where the ball is. */
export function useBall(bake: number | undefined, ball: V3 | null) {
  const id = useSetup((s) => s.id)
  const revision = useSetup((s) => s.revision)
  return useQuery({
    queryKey: ['bake-ball', id, bake, revision, ball],
    queryFn: () => asked<BakedAt>(`${at(id ?? 0)}/at?x=${ball?.[0]}&y=${ball?.[1]}&z=${ball?.[2]}`),
    enabled: id !== null && bake !== undefined && ball !== null,
    placeholderData: (p) => p,
    retry: false,
  })
}

/** startBake asks for a bake; turnBake pauses, resumes or stops it. Both tell what is wrong. */
export const startBake = (quality: string) => act('POST', quality)
export const turnBake = (how: 'pause' | 'resume' | 'stop') => act('PUT', how)

async function act(method: 'POST' | 'PUT', word: string) {
  const id = useSetup.getState().id
  if (id === null) return
  await sent(`${at(id)}/${word}`, method)
  await queryClient.invalidateQueries({ queryKey: ['bake', id] })
}
