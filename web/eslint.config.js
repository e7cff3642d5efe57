import a11y from 'eslint-plugin-jsx-a11y'
import hooks from 'eslint-plugin-react-hooks'
import tseslint from 'typescript-eslint'

export default tseslint.config(
  { ignores: ['dist', 'src/api/schema.d.ts'] },
  ...tseslint.configs.recommendedTypeChecked,
  a11y.flatConfigs.recommended,
  {
    languageOptions: {
      parserOptions: { projectService: true, tsconfigRootDir: import.meta.dirname },
    },
    plugins: { 'react-hooks': hooks },
    rules: {
      ...hooks.configs.recommended.rules,
      // TanStack Virtual's own API; nothing here is memoised by a compiler.
      'react-hooks/incompatible-library': 'off',
      'no-restricted-syntax': [
        'error',
        { selector: 'ExportAllDeclaration', message: 'export by name' },
        {
          selector: 'TSAsExpression > TSNeverKeyword',
          message: 'a cast to never hides what is wrong',
        },
      ],
      // What scrolls must be reachable by keyboard.
      'jsx-a11y/no-noninteractive-tabindex': [
        'error',
        { tags: [], roles: ['tabpanel', 'table', 'region'] },
      ],
      '@typescript-eslint/no-unused-vars': ['error', { argsIgnorePattern: '^_' }],
    },
  },
)
