/** The eight light channels, from one. */
export const channelNumbers = [1, 2, 3, 4, 5, 6, 7, 8] as const

/** channelName is what a channel is called. */
export const channelName = (names: Record<string, { name: string }> | undefined, n: number) => names?.[n]?.name || `Channel ${n}`
