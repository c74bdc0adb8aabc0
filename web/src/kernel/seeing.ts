/** What the finished picture shows. Codes are the shader's. */
export const ways = { picture: 0, mark: 1, zones: 2, clipped: 3, luminance: 4, illuminance: 5, colours: 6, codes: 7 } as const
/** WayCode is one of the shader's codes. */
export type WayCode = (typeof ways)[keyof typeof ways]
/** splits are how two pictures are shown together. Codes are the shader's. */
export const splits = { none: 0, wipe: 1, side: 2, other: 3, difference: 4 } as const
/** Split is one of them, by name. */
export type Split = keyof typeof splits
