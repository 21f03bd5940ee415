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
		onlayout,
		onset,
		onclose,
	}: {
		source: string;
		table: string;
		column: string;
		encoding: string;
		/** Takes a layout of the column's own, where one is written. */
		onlayout: ((layout: string) => void) | undefined;
		/** Sets the encoding, left out where that is not allowed. */
		onset: (() => void) | undefined;
		onclose: () => void;
	} = $props();

	const values = new Loaded<StoredValue[]>();
	$effect(() => {
		if (encoding) return values.ask((signal) => listReadings(source, table, column, encoding, signal));
	});
	const layouts = ['D.M.Y', 'D/M/Y', 'M/D/Y', 'D-M-Y', 'Y/M/D', 'D Mon Y', 'D.M.Y h:m', 'M/D/YY from 1970'];
</script>

<div class="space-y-2 px-3 py-2" data-readings={encoding}>
	{#if onlayout}
		<label class="flex flex-wrap items-center gap-2">
			<span class="font-semibold">How the dates in {column} are written</span>
			<input
				class="field h-7 w-56 font-mono text-sm"
				list="layouts"
				placeholder="D.M.Y"
				value={encoding}
				onchange={(ev) => onlayout(ev.currentTarget.value.trim())}
			/>
			<span class="muted text-xs"
				>D day, M month, Mon its name, Y year, h:m:s the time; D.M.Y[ h:m] where it may be missing</span
			>
		</label>
		<datalist id="layouts"
			>{#each layouts as layout (layout)}<option value={layout}></option>{/each}</datalist
		>
	{/if}
	{#if encoding}<p class="font-semibold">{column}, read as {encoding}</p>{/if}
	{#if values.value && encoding}
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
	{:else if encoding}<Pending of={values} />
	{:else}<button type="button" class="button" onclick={onclose}>Close</button>{/if}
</div>
