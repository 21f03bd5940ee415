<script lang="ts">
	// What happened without the reader that they are to know of, until they have read it.
	import { listNotices, type Notice } from '../lib/api';
	import { link } from 'svelte-spa-router';
	import { dropNotice } from './calls';
	import { Loaded } from '../lib/loaded.svelte';
	import { agoText } from '../lib/text';

	let { first }: { /** Those that were asked for already. */ first?: Notice[] } = $props();
	const notices = new Loaded<Notice[]>();
	$effect(() => (first ? undefined : notices.ask(listNotices)));
	let gone = $state<number[]>([]);
	const list = $derived((first ?? notices.value ?? []).filter((n) => !gone.includes(n.number)));
	const shown = 5;

	async function drop(of: Notice[]) {
		for (const n of of) {
			gone.push(n.number);
			await dropNotice(n.number).catch(() => {}); // it comes back the next time
		}
	}
</script>

{#if list.length}
	<section class="wash-warn space-y-1.5 py-2.5" aria-label="Notices" data-notices>
		{#each list.slice(0, shown) as n (n.number)}
			<p class="flex flex-wrap items-baseline gap-x-2 text-sm">
				<span class="grow">
					{#if n.schedule}<a
							class="font-semibold text-inherit underline"
							use:link
							href={n.occurrence ? `/occurrences/${n.occurrence}` : `/schedules/${encodeURIComponent(n.schedule)}`}
							>{n.title || n.schedule}</a
						>{/if}
					{n.words} <span class="text-[13px]">{agoText(n.at)}</span></span
				>
				<button type="button" class="min-h-6 px-1 underline" onclick={() => drop([n])}>Got it</button>
			</p>
		{/each}
		{#if list.length > shown}<p class="text-sm">
				… and {list.length - shown} more.
				<button type="button" class="min-h-6 px-1 underline" onclick={() => drop(list)}>Got all of it</button>
			</p>{/if}
	</section>
{/if}
