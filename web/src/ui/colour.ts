/** Colours between the screen's hex codes and linear light. */

const decode = (v: number) => (v <= 0.04045 ? v / 12.92 : ((v + 0.055) / 1.055) ** 2.4)
const encode = (v: number) => (v <= 0.0031308 ? 12.92 * Math.max(v, 0) : v >= 1 ? 1 : 1.055 * v ** (1 / 2.4) - 0.055)

export function hexToLinear(hex: string): [number, number, number] {
  const n = parseInt(hex.slice(1), 16)
  return [decode((n >> 16) / 255), decode(((n >> 8) & 255) / 255), decode((n & 255) / 255)]
}

export const linearToHex = (c: readonly number[]) => `#${[0, 1, 2].map((k) => Math.round(255 * encode(c[k] ?? 0)).toString(16).padStart(2, '0')).join('')}`
