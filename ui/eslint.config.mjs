import { defineConfigWithVueTs, vueTsConfigs } from "@vue/eslint-config-typescript";
import vue from "eslint-plugin-vue";

// What is laid out is prettier's; these are the rules of what is said. No file may be larger than
// one can hold in mind at once, and no function than one sees at once.
export default defineConfigWithVueTs(
  { ignores: ["dist", "probe", "src/api/schema.d.ts", "src/api/rules.ts"] },
  vue.configs["flat/strongly-recommended"],
  vueTsConfigs.recommended,
  {
    rules: {
      "vue/html-indent": "off",
      "vue/max-attributes-per-line": "off",
      "vue/singleline-html-element-content-newline": "off",
      "vue/multiline-html-element-content-newline": "off",
      "vue/html-closing-bracket-newline": "off",
      "vue/html-self-closing": "off",
      "vue/first-attribute-linebreak": "off",
      "@typescript-eslint/no-unused-vars": ["error", { argsIgnorePattern: "^_" }],
      "@typescript-eslint/no-explicit-any": "error",
      // A stage is one word, as its room is; its parts have two.
      "vue/multi-word-component-names": [
        "error",
        { ignores: ["Bookshelf", "Compose", "Prove", "Shoot", "Wrap"] },
      ],
      eqeqeq: "error",
      "no-console": "error",
    },
  },
);
