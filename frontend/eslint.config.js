import prettier from 'eslint-config-prettier';
import vue from 'eslint-plugin-vue';
import ts from 'typescript-eslint';

export default ts.config(
  { ignores: ['dist', 'node_modules', 'src/api/schema.d.ts'] },
  ...ts.configs.recommended,
  ...vue.configs['flat/recommended'],
  { files: ['**/*.vue'], languageOptions: { parserOptions: { parser: ts.parser } } },
  {
    files: ['**/*.ts', '**/*.vue'],
    rules: {
      eqeqeq: 'error',
      'no-console': 'error',
      '@typescript-eslint/no-explicit-any': 'error',
      '@typescript-eslint/no-unused-vars': ['error', { argsIgnorePattern: '^_' }],
      // The compiler holds what is asked of them.
      'vue/require-default-prop': 'off',
      // Only marks of our own are set so.
      'vue/no-v-html': 'off',
      // What the Bench hands on are refs, which are there to be set; a prop itself is never replaced.
      'vue/no-mutating-props': ['error', { shallowOnly: true }],
    },
  },
  // How it is laid out is the formatter's business.
  prettier,
);
