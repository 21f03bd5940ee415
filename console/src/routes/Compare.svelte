<script lang="ts">
	// Two runs of a report, asked for anew as they were: the records that came,
	// went and changed.
	import { link } from 'svelte-spa-router';
	import { compareRuns, type Comparison } from '../lib/api';
	import { Loaded } from '../lib/loaded.svelte';
	import Pending from '../parts/Pending.svelte';
	import { cellText, countText, isNumber, recordsText, type Cell } from '../lib/text';

	let { params }: { params: { run: string; other: string } } = $props();

	const loaded = new Loaded<Comparison>();
	const found = $derived(loaded.value);
	$effect(() => {
		const [run, other] = [Number(params.run), Number(params.other)];
		loaded.forget();
		return loaded.ask((signal) => compareRuns(run, other, signal));
	});
	const kinds = [
		{ kind: 'came', label: 'Came', mark: '+', about: 'only in the second run' },
		{ kind: 'went', label: 'Went', mark: '−', about: 'only in the first run' },
		{ kind: 'changed', label: 'Changed', mark: '~', about: 'in both, with other values' },
	] as const;
	/** Records that came after a run are shown apart: they are of the data, not of the answers. */
	const since = { kind: 'since', label: 'Came since', mark: '*', about: '' };
	let shown = $state<Record<string, boolean>>({ came: true, went: true, changed: true, since: true });
	const columns = $derived(found?.columns ?? []);
	const rows = $derived((found?.rows ?? []).filter((r) => shown[r.kind]));
	const text = (cells: unknown[] | null | undefined, i: number) => cellText(cells?.[i] as Cell, columns[i]!);
</script>

<svelte:head><title>Runs {params.run} and {params.other} · Pike Gate</title></svelte:head>

<div class="flex flex-col gap-3.5 p-4 sm:px-5 lg:h-full">
	<h1>
		Runs <a href="/runs/{params.run}" use:link>{params.run}</a> and
		<a href="/runs/{params.other}" use:link>{params.other}</a>
	</h1>
	<Pending of={loaded} lines={5} />
	{#if found}
		<div class="grid gap-3 md:grid-cols-2">
			{#each [found.before, found.after] as side, i (i)}
				<section class="panel p-3 text-sm" aria-label={i === 0 ? 'First run' : 'Second run'}>
					<h2 class="font-semibold">
						Run {side.run}, {side.version ? `version ${side.version}` : 'the draft'}
					</h2>
					<p>{side.readback}</p>
					<p>
						Found {recordsText(side.then)} then, {side.then === side.now
							? 'and as many now.'
							: `and finds ${recordsText(side.now)} now.`}
						{#if side.since && side.since.came + side.since.went > 0}
							The data have changed since: {countText(side.since.came)} came or have other values, {countText(
								side.since.went,
							)}
							are no longer there as they were.
						{:else if side.since}The data are the same as then.
						{:else if side.then !== side.now}The data have changed since.{/if}
					</p>
				</section>
			{/each}
		</div>
		<div class="flex flex-wrap items-center gap-x-6 gap-y-2" data-compared>
			{#each kinds as { kind, label, mark, about } (kind)}
				<label class="flex items-center gap-2">
					<input type="checkbox" bind:checked={shown[kind]} />
					<span
						><strong class="tabular-nums">{countText(found[kind])}</strong>
						{label.toLowerCase()} <span class="muted text-sm">({mark} {about})</span></span
					>
				</label>
			{/each}
			<span><strong class="tabular-nums">{countText(found.same)}</strong> stayed the same</span>
			{#if (found.rows ?? []).some((r) => r.kind === 'since')}
				<label class="flex items-center gap-2"
					><input type="checkbox" bind:checked={shown.since} /> Those that came since a run</label
				>
			{/if}
		</div>
		{#if found.whole}<p class="text-sm">
				These records have no key: one that changed is shown as one that went and one that came.
			</p>{/if}
		{#if found.rows?.length === 0}
			<p>The records of the two runs are the same.</p>
		{:else}
			<!-- svelte-ignore a11y_no_noninteractive_tabindex (it scrolls) -->
			<div class="panel min-h-0 grow overflow-auto" tabindex="0" role="region" aria-label="Differences">
				<table class="w-full text-sm tabular-nums">
					<thead>
						<tr>
							<th class="column-head sticky top-0">What</th>
							{#each columns as column, i (column.name)}
								<th class="column-head sticky top-0 {isNumber(columns[i]!) ? 'text-right' : ''}">{column.label}</th>
							{/each}
						</tr>
					</thead>
					<tbody>
						{#each rows as row, r (r)}
							{@const { label, mark } = kinds.find((k) => k.kind === row.kind) ?? since}
							<tr class="border-line border-t align-top" data-difference={row.kind}>
								<th scope="row" class="px-3 py-1.5 text-left font-normal whitespace-nowrap"
									><span aria-hidden="true" class="inline-block w-4">{mark}</span>{label}{row.run
										? ` run ${row.run}`
										: ''}</th
								>
								{#each columns as column, i (column.name)}
									{@const was = text(row.before, i)}
									{@const is = text(row.after, i)}
									<td class="px-3 py-1.5 whitespace-nowrap {isNumber(columns[i]!) ? 'text-right' : ''}">
										{#if row.kind !== 'changed' || was === is}{row.after ? is : was}{:else}<del>{was || 'blank'}</del>
											<ins class="font-semibold">{is || 'blank'}</ins>{/if}
									</td>
								{/each}
							</tr>
						{/each}
					</tbody>
				</table>
			</div>
			<p class="muted text-sm">Up to 500 of each kind are shown; all are counted.</p>
		{/if}
	{/if}
</div>
