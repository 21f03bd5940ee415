<script lang="ts">
	// The bar at the top: the places there are, finding, and light or dark.
	import { link, router } from 'svelte-spa-router';
	import { account, forgetDrafts } from '../lib/account.svelte';
	import { signOut } from '../lib/api';
	import { theme, turnTheme } from '../lib/theme.svelte';

	let { onfind, onhelp }: { onfind: () => void; onhelp: () => void } = $props();

	const places = $derived(
		[
			{ name: 'Reports', at: '/', of: /^\/(reports.*)?$/, for: true },
			{ name: 'Drafts', at: '/drafts', of: /^\/drafts/, for: account.authors },
			{ name: 'Runs', at: '/runs', of: /^\/runs/, for: true },
			{ name: 'Schedules', at: '/schedules', of: /^\/(schedules|occurrences)/, for: true },
			{ name: 'Sources', at: '/sources', of: /^\/sources/, for: account.authors },
		].filter((place) => place.for && !account.out),
	);
	const mine = $derived(
		[
			{ name: 'Account', at: '/account', for: true },
			{ name: 'People', at: '/people', for: account.administers },
			{ name: 'Calendars', at: '/calendars', for: true },
			{ name: 'Rights', at: '/rights', for: account.authors },
			{ name: 'Audit log', at: '/audit', for: account.administers },
		].filter((place) => place.for),
	);
	// On a phone there is no room for all of them: the present one is in sight.
	let nav = $state<HTMLElement>();
	$effect(() => {
		void router.location;
		nav?.querySelector('[aria-current]')?.scrollIntoView({ block: 'nearest', inline: 'nearest' });
	});
	let open = $state(false);
	let box = $state<HTMLDivElement>();
	async function leave() {
		open = false;
		await signOut();
		forgetDrafts();
		sessionStorage.clear();
		location.replace('./');
	}
	function key(event: KeyboardEvent) {
		if (event.key !== 'Escape' || !open) return;
		open = false;
		box?.querySelector('button')?.focus();
	}
	const mac = /Mac|iP/.test(navigator.platform);
</script>

<svelte:document onpointerdown={(e) => !box?.contains(e.target as Node) && (open = false)} />
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
	<nav class="bare flex min-w-0 gap-0.5 overflow-x-auto" aria-label="Places" bind:this={nav}>
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
		class="rounded-base ml-auto flex {account.out
			? 'invisible'
			: ''} h-7.5 items-center justify-between gap-2 border border-white/25 bg-white/10 px-2.5 text-sm md:w-64"
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
	{#if account.me?.state === 'closed' && !account.out}
		<!-- svelte-ignore a11y_no_static_element_interactions -->
		<div class="relative" bind:this={box} onkeydown={key}>
			<button
				type="button"
				class="rounded-base h-7.5 max-w-36 truncate px-1 text-[13px] text-[#c7d0cb] hover:bg-white/5 sm:px-2 sm:text-sm"
				aria-expanded={open}
				aria-label="Account of {account.me.name}"
				data-account
				onclick={() => (open = !open)}>{account.me.name} <span aria-hidden="true">▾</span></button
			>
			{#if open}
				<div class="panel text-ink absolute top-full right-0 z-40 mt-1 w-56 p-1.5 shadow-lg">
					<p class="text-ink-3 px-2.5 py-1 text-[13px]">{account.me.display || account.me.name}</p>
					{#each mine as place (place.at)}<a
							href={place.at}
							use:link
							class="rounded-base text-ink hover:bg-wash flex min-h-9 items-center px-2.5 no-underline"
							onclick={() => (open = false)}>{place.name}</a
						>{/each}
					<button type="button" class="rounded-base hover:bg-wash min-h-9 w-full px-2.5 text-left" onclick={turnTheme}
						>{theme.mode === 'dark' ? 'Light' : 'Dark'}</button
					>
					{#if !account.me.seen_by}<button
							type="button"
							class="rounded-base hover:bg-wash border-line min-h-9 w-full border-t px-2.5 text-left"
							onclick={leave}>Sign out</button
						>{/if}
				</div>
			{/if}
		</div>
	{:else}
		<button
			type="button"
			class="rounded-base h-7.5 px-1 text-[13px] text-[#c7d0cb] hover:bg-white/5 sm:px-2 sm:text-sm"
			onclick={turnTheme}>{theme.mode === 'dark' ? 'Light' : 'Dark'}</button
		>
	{/if}
</header>

<style>
	.bare {
		scrollbar-width: none;
	}
	.here {
		box-shadow: inset 0 -2px 0 var(--tip);
	}
</style>
