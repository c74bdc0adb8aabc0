/** What the finished picture shows. Codes are the shader's. */
export const ways = { picture: 0, mark: 1, zones: 2, clipped: 3, luminance: 4, illuminance: 5, colours: 6, codes: 7 } as const
export type WayCode = (typeof ways)[keyof typeof ways]
export const splits = { none: 0, wipe: 1, side: 2, other: 3, difference: 4 } as const
export type Split = keyof typeof splits
