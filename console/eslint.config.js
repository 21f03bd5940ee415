import svelte from 'eslint-plugin-svelte';
import ts from 'typescript-eslint';
import config from './svelte.config.js';

export default ts.config(
	{ ignores: ['src/lib/schema.d.ts'] },
	...ts.configs.recommended,
	...svelte.configs.recommended,
	{
		files: ['**/*.svelte', '**/*.svelte.ts'],
		languageOptions: { parserOptions: { parser: ts.parser, svelteConfig: config, extraFileExtensions: ['.svelte'] } },
	},
);
