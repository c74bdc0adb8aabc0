/** importing.choose lets a file be chosen that is then brought in; whoever draws the import sets it. */
export const importing = { choose: () => undefined as void }
