<script lang="ts">
	// Everything that was written here: queries, reports, shared questions and
	// named conditions, with what is published of each.
	import { link } from 'svelte-spa-router';
	import { listDefinitions, type DefinitionInfo } from '../lib/api';
	import { Loaded } from '../lib/loaded.svelte';
	import Pending from '../lib/Pending.svelte';
	import { draftAddress, newDraftAddress } from '../lib/link';

	const definitions = new Loaded<DefinitionInfo[]>();
	let search = $state('');
	$effect(() => definitions.ask(listDefinitions));

	const kinds = [
		{
			kind: 'report',
			label: 'Reports',
			about: 'What people see: a query, how its questions are asked, groups, totals, a chart.',
		},
		{ kind: 'query', label: 'Queries', about: 'Which records to read and what to ask for.' },
		{ kind: 'parameter', label: 'Shared questions', about: 'Questions that several queries ask.' },
		{ kind: 'criterion', label: 'Named conditions', about: 'Conditions that several queries use.' },
		{ kind: 'source', label: 'Sources', about: 'How the dates of each are stored.' },
	];
	const found = $derived.by(() => {
		const words = search.toLowerCase().split(/\s+/).filter(Boolean);
		return (definitions.value ?? []).filter((d) =>
			words.every((w) => `${d.name} ${d.title}`.toLowerCase().includes(w)),
		);
	});
	const standing = (d: DefinitionInfo) =>
		d.version === 0 ? 'never published' : `version ${d.version}` + (d.draft ? ', changed since' : '');
</script>

<svelte:head><title>Drafts · Pike Gate</title></svelte:head>

<div class="mx-auto max-w-4xl space-y-5 p-4">
	<div class="flex flex-wrap items-end justify-between gap-3">
		<h1 class="text-2xl font-semibold">Drafts</h1>
		<input
			class="field max-w-72"
			type="search"
			placeholder="Find by name or title"
			aria-label="Find a definition"
			bind:value={search}
		/>
	</div>
	<Pending of={definitions} />
	{#each kinds as { kind, label, about } (kind)}
		{@const list = found.filter((d) => d.kind === kind)}
		<section aria-labelledby="kind-{kind}">
			<div class="mb-1.5 flex flex-wrap items-baseline justify-between gap-3">
				<h2 id="kind-{kind}" class="font-semibold">{label} <span class="muted text-sm font-normal">{about}</span></h2>
				<a class="btn btn-sm preset-tonal" href={newDraftAddress(kind)} use:link data-new={kind}>New</a>
			</div>
			<ul class="divide-surface-200-800 panel divide-y">
				{#each list as d (d.name)}
					<li>
						<a
							href={draftAddress(d.kind, d.name)}
							use:link
							class="hover:preset-tonal flex flex-wrap justify-between gap-x-4 px-4 py-1.5 no-underline"
						>
							<span
								><span class="text-primary-700-300 underline">{d.name}</span> <span class="muted">{d.title}</span></span
							>
							<span class="muted text-sm">{standing(d)}</span>
						</a>
					</li>
				{:else}
					<li class="muted px-4 py-1.5 text-sm">{definitions ? (search ? 'None like that.' : 'None yet.') : '…'}</li>
				{/each}
			</ul>
		</section>
	{/each}
</div>
