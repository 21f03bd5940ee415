<script lang="ts">
	// Finding from everywhere, by words and parts of words.
	import { push } from 'svelte-spa-router';
	import { Loaded } from '../lib/loaded.svelte';
	import Pending from '../parts/Pending.svelte';
	import { everything, matching, type Entry } from './find';

	let { onclose }: { onclose: () => void } = $props();

	const entries = new Loaded<Entry[]>();
	$effect(() => entries.ask(everything));
	let search = $state('');
	let at = $state(0);
	let dialog: HTMLDialogElement;
	$effect(() => dialog.showModal());
	const found = $derived(matching(entries.value ?? [], search, 30));
	function take(e?: Entry) {
		if (!e) return;
		dialog.close();
		push(e.address);
	}
	function key(event: KeyboardEvent) {
		const by = { ArrowDown: 1, ArrowUp: -1 }[event.key];
		if (by && found.length) {
			event.preventDefault();
			at = (at + by + found.length) % found.length;
			document.getElementById('found-' + at)?.scrollIntoView({ block: 'nearest' });
		} else if (event.key === 'Enter') {
			event.preventDefault();
			take(found[at]);
		}
	}
</script>

<dialog
	bind:this={dialog}
	{onclose}
	onclick={(e) => e.target === dialog && dialog.close()}
	aria-label="Find"
	class="bg-sheet text-ink border-line rounded-container mx-auto mt-[10dvh] w-[calc(100%-2rem)] max-w-2xl overflow-hidden border p-0 shadow-xl backdrop:bg-black/40"
>
	<input
		class="border-line h-12 w-full border-b bg-transparent px-4 text-base outline-none"
		type="search"
		role="combobox"
		aria-expanded="true"
		aria-controls="found"
		aria-activedescendant={found.length ? 'found-' + at : undefined}
		aria-label="Find reports, runs, drafts and tables"
		placeholder="Find reports, runs, drafts and tables"
		bind:value={search}
		oninput={() => (at = 0)}
		onkeydown={key}
	/>
	<div class="max-h-[60dvh] overflow-y-auto p-1.5">
		<div class="px-3 py-1 empty:hidden"><Pending of={entries} lines={4} /></div>
		<div id="found" role="listbox" aria-label="Found">
			{#each found as e, i (e.address)}
				<!-- svelte-ignore a11y_click_events_have_key_events (the field above has the keys) -->
				<div
					id="found-{i}"
					role="option"
					tabindex="-1"
					aria-selected={i === at}
					class="rounded-base flex min-h-9 cursor-pointer items-baseline gap-3 px-3 py-1.5 {i === at
						? 'bg-act-wash'
						: ''}"
					onclick={() => take(e)}
					onpointermove={() => (at = i)}
				>
					<span class="text-ink-2 w-14 shrink-0 text-xs">{e.kind}</span>
					<span class="shrink-0 font-semibold">{e.title}</span>
					<span class="text-ink-2 truncate text-[13px]">{e.about}</span>
				</div>
			{/each}
		</div>
		{#if entries.value && found.length === 0}<p class="muted px-3 py-2">No matches for “{search}”.</p>{/if}
	</div>
</dialog>
