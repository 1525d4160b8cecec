import js from '@eslint/js'
import hooks from 'eslint-plugin-react-hooks'
import ts from 'typescript-eslint'

const rooms = ['athletes', 'bench', 'calendar', 'log', 'playbook', 'report', 'settings', 'sign-in', 'sim', 'today']

/** A room knows itself, what rooms share (ui) and the figure, but no other room. */
const walls = rooms.map((room) => ({
  files: [`src/${room}/**/*.{ts,tsx}`],
  rules: {
    'no-restricted-imports': [
      'error',
      {
        patterns: rooms
          .filter((r) => r !== room)
          .map((r) => ({ group: [`**/${r}/**`], message: `no room imports another: share it through src/ui` })),
      },
    ],
  },
}))

export default ts.config(
  { ignores: ['dist', '**/*.gen.ts', '**/*.gen.d.ts'] },
  js.configs.recommended,
  ...ts.configs.recommended,
  {
    plugins: { 'react-hooks': hooks },
    rules: { 'react-hooks/rules-of-hooks': 'error', 'react-hooks/exhaustive-deps': 'error' },
  },
  {
    rules: {
      'max-len': ['error', { code: 120, ignoreUrls: true }],
      'max-lines-per-function': ['error', { max: 200, skipBlankLines: true, skipComments: true }],
      '@typescript-eslint/no-unused-vars': ['error', { argsIgnorePattern: '^_', varsIgnorePattern: '^_' }],
    },
  },
  {
    files: ['src/ui/**'],
    rules: {
      'no-restricted-imports': [
        'error',
        { patterns: rooms.map((r) => ({ group: [`../${r}/**`], message: 'what rooms share knows no room' })) },
      ],
    },
  },
  ...walls,
)
