<script lang="ts">
	// Why a run found nothing: what each condition lets through alone and with
	// those before it, and answers with which there are records.
	import { whyRun, type Why } from '../lib/api';
	import { Loaded } from '../lib/loaded.svelte';
	import { countText } from '../lib/text';
	import Pending from '../parts/Pending.svelte';

	let { run, onway }: { run: number; onway: (inputs: Record<string, string>) => void } = $props();

	const loaded = new Loaded<Why>();
	const why = $derived(loaded.value);
	$effect(() => {
		const asked = run;
		loaded.forget();
		return loaded.ask((signal) => whyRun(asked, signal));
	});
	const lines = $derived(
		why?.table
			? [
					{ words: `All records of ${why.table}`, alone: why.records, left: why.records },
					...(why.joined === why.records
						? []
						: [{ words: 'With the tables joined to it', alone: why.joined, left: why.joined }]),
					...(why.conditions ?? []),
				]
			: [],
	);
</script>

<section class="panel space-y-3 p-4" aria-labelledby="nothing-title" data-why>
	<h2 id="nothing-title" class="font-semibold">Why no record matches</h2>
	<Pending of={loaded} lines={3} />
	{#if why}
		<div data-advice>
			{#each why.advice ?? [] as sentence, i (i)}<p>{sentence}</p>{/each}
		</div>
		{#if why.ways_out?.length}
			<p class="flex flex-wrap gap-2">
				{#each why.ways_out as way, i (i)}
					<button type="button" class="button-act" onclick={() => onway(way.inputs)}>{way.words}</button>
				{/each}
			</p>
		{/if}
		{#if lines.length}<table class="w-full max-w-4xl text-sm tabular-nums">
				<thead>
					<tr>
						<th class="column-head">Condition</th>
						<th class="column-head text-right">Alone</th>
						<th class="column-head text-right">Remaining</th>
					</tr>
				</thead>
				<tbody>
					{#each lines as line, i (i)}
						<tr class="align-top">
							<th scope="row" class="border-line border-b px-3 py-1.5 text-left font-normal">{line.words}</th>
							<td class="border-line border-b px-3 py-1.5 text-right">{countText(line.alone)}</td>
							<td class="border-line border-b px-3 py-1.5 text-right">{countText(line.left)}</td>
						</tr>
					{/each}
				</tbody>
			</table>{/if}
	{/if}
</section>
