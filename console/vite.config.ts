import { svelte } from '@sveltejs/vite-plugin-svelte';
import tailwindcss from '@tailwindcss/vite';
import { defineConfig } from 'vitest/config';

// The console is built into the folder that the service embeds. While it is
// worked on, `npx vite` serves it and passes calls on to a running service.
export default defineConfig({
	plugins: [tailwindcss(), svelte()],
	base: './',
	build: { outDir: '../internal/api/console/dist', emptyOutDir: true, assetsInlineLimit: 0, chunkSizeWarningLimit: 600, modulePreload: { polyfill: false } },
	// The property tests take seconds, more on a busy machine.
	test: { setupFiles: 'tests/setup.ts', testTimeout: 60_000 },
	server: { proxy: { '/api': 'http://127.0.0.1:7180' } },
});
