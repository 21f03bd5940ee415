<script lang="ts">
	// The bar at the top: the places there are, finding, and light or dark.
	import { link, router } from 'svelte-spa-router';
	import { theme, turnTheme } from '../lib/theme.svelte';

	let { onfind, onhelp }: { onfind: () => void; onhelp: () => void } = $props();

	const places = [
		{ name: 'Reports', at: '/', of: /^\/(reports.*)?$/ },
		{ name: 'Drafts', at: '/drafts', of: /^\/drafts/ },
		{ name: 'Runs', at: '/runs', of: /^\/runs/ },
		{ name: 'Sources', at: '/sources', of: /^\/sources/ },
	];
	const mac = /Mac|iP/.test(navigator.platform);
</script>

<header class="bg-beam flex h-11.5 shrink-0 items-center gap-1.5 px-2.5 text-[#f3f4f1] sm:gap-5 sm:px-5">
	<a href="/" use:link class="flex items-center gap-2 font-[650] text-[#f3f4f1] no-underline" aria-label="Pike Gate">
		<svg width="26" height="20" viewBox="0 0 26 20" fill="none" stroke-linecap="round" aria-hidden="true"
			><path d="M4 18V8" stroke="#f3f4f1" stroke-width="4" /><path
				d="M4 8L23 2.5"
				class="stroke-tip"
				stroke-width="3.6"
			/><path d="M9.5 6.4L13 5.4M17.2 4.2L19.6 3.5" class="stroke-beam" stroke-width="3.6" stroke-linecap="butt" /></svg
		>
		<span class="hidden sm:inline">Pike Gate</span>
	</a>
	<nav class="flex gap-0.5" aria-label="Places">
		{#each places as place (place.name)}
			{@const here = place.of.test(router.location)}
			<a
				href={place.at}
				use:link
				aria-current={here ? 'page' : undefined}
				class="rounded-base px-1.5 py-1.5 text-[13px] no-underline sm:px-3 sm:text-sm {here
					? 'here bg-white/10 text-white'
					: 'text-[#c7d0cb] hover:bg-white/5'}">{place.name}</a
			>
		{/each}
	</nav>
	<button
		type="button"
		class="rounded-base ml-auto flex h-7.5 items-center justify-between gap-2 border border-white/25 bg-white/10 px-2.5 text-sm md:w-64"
		aria-keyshortcuts="Control+K"
		onclick={onfind}
		><span class="max-md:sr-only">Find<span class="sr-only"> reports, runs, drafts and tables</span></span>
		<svg
			class="size-4 md:hidden"
			viewBox="0 0 16 16"
			fill="none"
			stroke="currentColor"
			stroke-width="1.6"
			aria-hidden="true"><circle cx="7" cy="7" r="4.5" /><path d="M10.5 10.5L14 14" /></svg
		>
		<kbd aria-hidden="true" class="hidden font-mono text-[11px] text-[#b3c1ba] md:inline">{mac ? '⌘ K' : 'Ctrl K'}</kbd
		></button
	>
	<button
		type="button"
		class="rounded-base hidden h-7.5 min-w-7.5 px-2 text-sm text-[#c7d0cb] hover:bg-white/5 sm:block"
		aria-label="Keyboard help"
		aria-keyshortcuts="?"
		onclick={onhelp}>?</button
	>
	<button
		type="button"
		class="rounded-base h-7.5 px-1 text-[13px] text-[#c7d0cb] hover:bg-white/5 sm:px-2 sm:text-sm"
		onclick={turnTheme}>{theme.mode === 'dark' ? 'Light' : 'Dark'}</button
	>
</header>

<style>
	.here {
		box-shadow: inset 0 -2px 0 var(--tip);
	}
</style>
