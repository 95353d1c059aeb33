import hooks from "eslint-plugin-react-hooks"
import { defineConfig } from "eslint/config"
import typescript from "typescript-eslint"

export default defineConfig(
  { ignores: ["dist", "src/api/schema.d.ts", "eslint.config.js"] },
  typescript.configs.recommendedTypeChecked,
  { languageOptions: { parserOptions: { projectService: true, tsconfigRootDir: import.meta.dirname } } },
  {
    files: ["src/**/*.{ts,tsx}"],
    plugins: { "react-hooks": hooks },
    rules: {
      "react-hooks/rules-of-hooks": "error",
      "react-hooks/exhaustive-deps": "error",
      // a handler may be asynchronous: React looks at nothing that it returns
      "@typescript-eslint/no-misused-promises": ["error", { checksVoidReturn: false }],
    },
  },
)
