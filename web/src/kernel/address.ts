/** addressed is the setup that this window's address names; 0 for none. */
export const addressed = () => Number(/^\/s\/(\d+)/.exec(location.pathname)?.[1] ?? 0)

/** projectsAt is the address of the first screen, with all projects. */
export const projectsAt = '/projects'

/** atProjects tells whether this window's address is that of the first screen. */
export const atProjects = () => location.pathname === projectsAt
