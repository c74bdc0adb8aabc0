/** addressed is the setup that this window's address names; 0 for none. */
export const addressed = () => Number(/^\/s\/(\d+)/.exec(location.pathname)?.[1] ?? 0)
