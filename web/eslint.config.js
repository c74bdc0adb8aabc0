import a11y from 'eslint-plugin-jsx-a11y'
import hooks from 'eslint-plugin-react-hooks'
import tseslint from 'typescript-eslint'

export default tseslint.config(
  { ignores: ['dist', 'src/api.gen.ts'] },
  ...tseslint.configs.recommended,
  { plugins: { 'react-hooks': hooks }, rules: { 'react-hooks/rules-of-hooks': 'error', 'react-hooks/exhaustive-deps': 'error' } },
  a11y.flatConfigs.recommended,
  {
    rules: {
      'jsx-a11y/no-autofocus': ['error', { ignoreNonDOM: true }],
      // The picture and the edges of panes are worked by keys; lists hear the keys of their rows.
      'jsx-a11y/no-noninteractive-tabindex': ['error', { roles: ['application', 'separator'], tags: [] }],
      'jsx-a11y/no-noninteractive-element-interactions': ['error', { handlers: ['onClick', 'onMouseDown', 'onMouseUp'] }],
    },
  },
  // A promise that nobody waits for hides its failure.
  {
    files: ['src/**/*.ts', 'src/**/*.tsx'],
    languageOptions: { parserOptions: { projectService: true, tsconfigRootDir: import.meta.dirname } },
    rules: { '@typescript-eslint/no-floating-promises': 'error', '@typescript-eslint/no-misused-promises': ['error', { checksVoidReturn: { attributes: false, arguments: false } }] },
  },
  // The arrows: the shell knows features; features know the picture, ui and the kernel, and
  // never each other; the picture knows ui and the kernel; ui the kernel; the kernel nothing.
  ...[
    ['kernel', '^\\.\\./(ui|picture|features|shell)/'],
    ['ui', '^\\.\\./(picture|features|shell)/'],
    ['picture', '^\\.\\./(features|shell)/'],
    ['features', '^\\.\\./(?!\\.\\./)|/shell/'],
  ].map(([room, regex]) => ({ files: [`src/${room}/**`], ignores: ['src/**/*.test.*'], rules: { 'no-restricted-imports': ['error', { patterns: [{ regex, message: `${room} may not know this: see docs/architecture.md` }] }] } })),
  { files: ['src/**/*.ts', 'src/**/*.tsx'], ignores: ['src/**/*.test.*'], rules: { 'max-lines': ['error', 300], 'max-lines-per-function': ['error', 80] } },
)
