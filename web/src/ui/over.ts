/** over is where menus, dialogs and tips are put: a landmark of its own over the page. */
export const over = () => document.getElementById('over') ?? document.body
