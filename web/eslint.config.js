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
          selector:
            "CallExpression[callee.object.name='api'][callee.property.name=/^(GET|POST|PUT|PATCH|DELETE)$/]",
          message: 'calls of the server stand in src/api, by noun',
        },
        {
          selector:
            "CallExpression[callee.property.name='addEventListener'] > Literal[value='keydown']",
          message: 'keys stand in src/keys/registry.ts and act through useKeys',
        },
        {
          selector: "CallExpression[callee.name='useMutation']",
          message: 'every write goes through useWrite',
        },
        {
          selector: 'TSAsExpression > TSNeverKeyword',
          message: 'a cast to never hides what is wrong',
        },
      ],
      // A component that does not fit here is two.
      'max-lines-per-function': ['error', { max: 150 }],
      // What scrolls must be reachable by keyboard.
      'jsx-a11y/no-noninteractive-tabindex': [
        'error',
        { tags: [], roles: ['tabpanel', 'table', 'region'] },
      ],
      '@typescript-eslint/no-unused-vars': ['error', { argsIgnorePattern: '^_' }],
    },
  },
  {
    files: ['src/api/**', 'src/keys/**'],
    rules: { 'no-restricted-syntax': 'off' },
  },
)
