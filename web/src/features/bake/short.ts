/** short is the last part of an object's path. */
export const short = (path: string) => path.split('/').at(-1) ?? path
