import { convertLrgbToRgb, convertRgbToLrgb, parseHex, serializeHex } from 'culori/fn'

/** Colours between the screen's hex codes and linear light. */

export function hexToLinear(hex: string): [number, number, number] {
  const { r, g, b } = convertRgbToLrgb(parseHex(hex) ?? { r: 0, g: 0, b: 0 })
  return [r, g, b]
}

/** linearToHex shows linear light as the screen can: what is over white is white. */
export function linearToHex(c: readonly number[]): string {
  const [r = 0, g = 0, b = 0] = c.map((v) => Math.min(Math.max(v, 0), 1))
  return serializeHex(convertLrgbToRgb({ r, g, b }))
}
