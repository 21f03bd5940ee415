<script lang="ts">
	// Why a run found nothing: what each condition lets through alone and in
	// turn, and answers with which there are records.
	import { Refusal, whyRun, type Why } from '../lib/api';
	import { countText } from '../lib/text';

	let { run, onway }: { run: number; onway: (inputs: Record<string, string>) => void } = $props();

	let why = $state.raw<Why>();
	let failure = $state('');
	$effect(() => {
		why = undefined;
		whyRun(run)
			.then((w) => (why = w))
			.catch((e: Refusal) => (failure = e.message));
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
	<h2 id="nothing-title" class="font-semibold">Why nothing was found</h2>
	{#if failure}
		<p role="alert" class="text-error-700-300">{failure}</p>
	{:else if why}
		<div data-advice>
			{#each why.advice ?? [] as sentence (sentence)}<p>{sentence}</p>{/each}
		</div>
		{#if why.ways_out?.length}
			<p class="flex flex-wrap gap-2">
				{#each why.ways_out as way (way.words)}
					<button type="button" class="btn btn-sm preset-filled-primary-700-300" onclick={() => onway(way.inputs)}
						>{way.words}</button
					>
				{/each}
			</p>
		{/if}
		{#if lines.length}<table class="w-full text-sm tabular-nums">
				<thead class="muted text-left">
					<tr>
						<th class="font-normal">Condition</th>
						<th class="px-3 text-right font-normal">Alone</th>
						<th class="text-right font-normal">Left in turn</th>
					</tr>
				</thead>
				<tbody>
					{#each lines as line, i (i)}
						<tr class="border-surface-200-800 border-t align-top">
							<th scope="row" class="py-1 text-left font-normal">{line.words}</th>
							<td class="px-3 py-1 text-right">{countText(line.alone)}</td>
							<td class="py-1 text-right">{countText(line.left)}</td>
						</tr>
					{/each}
				</tbody>
			</table>{/if}
	{:else}
		<p class="muted">Looking at each condition …</p>
	{/if}
</section>
