import { convertLrgbToRgb, convertRgbToLrgb, parseHex, serializeHex } from 'culori/fn'

/** hexToLinear takes a code of the screen to linear Rec. 709, 0 to 1; what is no code is black. */
export function hexToLinear(hex: string): [number, number, number] {
  const { r, g, b } = convertRgbToLrgb(parseHex(hex) ?? { r: 0, g: 0, b: 0 })
  return [r, g, b]
}

/** linearToHex shows linear light as the screen can: what is over white is white. */
export function linearToHex(c: readonly number[]): string {
  const [r = 0, g = 0, b = 0] = c.map((v) => Math.min(Math.max(v, 0), 1))
  return serializeHex(convertLrgbToRgb({ r, g, b }))
}
