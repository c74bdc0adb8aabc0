import hooks from 'eslint-plugin-react-hooks'
import tseslint from 'typescript-eslint'

export default tseslint.config(
  { ignores: ['dist', 'src/api.gen.ts'] },
  ...tseslint.configs.recommended,
  { plugins: { 'react-hooks': hooks }, rules: { 'react-hooks/rules-of-hooks': 'error', 'react-hooks/exhaustive-deps': 'error' } },
  // A promise that nobody waits for hides its failure.
  {
    files: ['src/**/*.ts', 'src/**/*.tsx'],
    languageOptions: { parserOptions: { projectService: true, tsconfigRootDir: import.meta.dirname } },
    rules: { '@typescript-eslint/no-floating-promises': 'error', '@typescript-eslint/no-misused-promises': ['error', { checksVoidReturn: { attributes: false, arguments: false } }] },
  },
  // What is drawn belongs to no part of the bench: parts know it, and not the other way.
  { files: ['src/ui/**', 'src/fields/**'], rules: { 'no-restricted-imports': ['error', { patterns: ['../frame/*', '../ledger/*', '../plot/*', '../rigs/*', '../snags/*', '../channels/*', '../weigh/*', '../scene/*', '../shelf/*'] }] } },
)
