import a11y from 'eslint-plugin-jsx-a11y'
import hooks from 'eslint-plugin-react-hooks'
import tseslint from 'typescript-eslint'

export default tseslint.config(
  { ignores: ['dist', 'src/api/schema.d.ts'] },
  ...tseslint.configs.recommended,
  a11y.flatConfigs.recommended,
  {
    plugins: { 'react-hooks': hooks },
    rules: {
      ...hooks.configs.recommended.rules,
      // TanStack Virtual's own API; nothing here is memoised by a compiler.
      'react-hooks/incompatible-library': 'off',
      'no-restricted-syntax': ['error', { selector: 'ExportAllDeclaration', message: 'export by name' }],
      '@typescript-eslint/no-unused-vars': ['error', { argsIgnorePattern: '^_' }],
    },
  },
)
