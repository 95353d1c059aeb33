import hooks from "eslint-plugin-react-hooks"
import typescript from "typescript-eslint"

export default typescript.config(
  { ignores: ["dist", "src/api/schema.d.ts"] },
  ...typescript.configs.recommendedTypeChecked,
  { languageOptions: { parserOptions: { projectService: true, tsconfigRootDir: import.meta.dirname } } },
  { files: ["src/**/*.{ts,tsx}"], ...hooks.configs.flat["recommended-latest"] },
)
