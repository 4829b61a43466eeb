import hooks from 'eslint-plugin-react-hooks'
import tseslint from 'typescript-eslint'

export default tseslint.config(
  { ignores: ['dist', 'src/wire.ts'] },
  ...tseslint.configs.recommended,
  // A component that does not fit a screen is two.
  { rules: { 'max-lines-per-function': ['error', { max: 90 }] } },
  hooks.configs.flat['recommended-latest'] ?? hooks.configs['recommended-latest'],
)
