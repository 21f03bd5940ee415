<script lang="ts">
	// Ten values of a column as they are stored, and as they would be read: with them it is
	// confirmed or changed how its dates are stored.
	import { listReadings, type StoredValue } from '../lib/api';
	import { Loaded } from '../lib/loaded.svelte';
	import { countText } from '../lib/text';
	import Pending from '../parts/Pending.svelte';

	let {
		source,
		table,
		column,
		encoding,
		onset,
		onclose,
	}: {
		source: string;
		table: string;
		column: string;
		encoding: string;
		/** Sets the encoding, left out where that is not allowed. */
		onset: (() => void) | undefined;
		onclose: () => void;
	} = $props();

	const values = new Loaded<StoredValue[]>();
	$effect(() => values.ask((signal) => listReadings(source, table, column, encoding, signal)));
</script>

<div class="space-y-2 px-3 py-2" data-readings={encoding}>
	<p class="font-semibold">{column}, read as {encoding}</p>
	{#if values.value}
		<table class="text-sm tabular-nums">
			<thead>
				<tr>
					{#each ['Stored', 'Read as', 'Records'] as head (head)}<th class="muted pr-6 text-left font-normal">{head}</th
						>{/each}
				</tr>
			</thead>
			<tbody>
				{#each values.value as v (v.stored)}
					<tr>
						<td class="pr-6 {v.stored ? 'font-mono' : 'muted'}">{v.stored || 'empty text'}</td>
						<td class="pr-6 {v.reads ? '' : 'text-bad'}">{v.reads || '▲ no date'}</td>
						<td class="text-right">{v.records === undefined ? '' : countText(v.records)}</td>
					</tr>
				{:else}<tr><td class="muted">Every value is blank.</td></tr>
				{/each}
			</tbody>
		</table>
		<p class="flex flex-wrap gap-2">
			{#if onset}<button type="button" class="button-act" onclick={onset}>Read {column} as {encoding}</button>{/if}
			<button type="button" class="button" onclick={onclose}>Close</button>
		</p>
	{:else}<Pending of={values} />{/if}
</div>
