<script lang="ts">
	// The definitions that do not fit a source as it is now: what is wrong with each, and
	// the nearest columns as ways out.
	import { link } from 'svelte-spa-router';
	import { listUnfit, type Unfit } from '../lib/api';
	import { draftAddress } from '../lib/link';
	import { Loaded } from '../lib/loaded.svelte';
	import Pending from '../parts/Pending.svelte';

	let { source }: { source: string } = $props();

	const unfit = new Loaded<Unfit[]>();
	$effect(() => unfit.ask((signal) => listUnfit(source, signal)));
</script>

<h3 class="font-semibold">Definitions that do not fit it</h3>
{#if unfit.value}
	<ul class="space-y-2 text-sm" data-unfit-definitions={unfit.value.length}>
		{#each unfit.value as u (u.kind + u.name + u.draft)}
			<li class="panel px-3 py-2">
				<a class="font-semibold" href={draftAddress(u.kind, u.name)} use:link>{u.kind} {u.name}</a>
				<span class="muted">{u.version ? `version ${u.version}, published` : 'the draft'}</span>
				<ul class="mt-1 space-y-1">
					{#each u.problems ?? [] as p, i (i)}
						<li>
							<span class="text-bad"><span aria-hidden="true">▲</span> {p.message}</span>
							{p.hint ?? ''}
							{#if p.source}<code class="text-ink-2 block truncate text-xs">{p.source}</code>{/if}
						</li>
					{/each}
				</ul>
			</li>
		{:else}<li class="muted">Every definition that you may see fits.</li>
		{/each}
	</ul>
{:else}<Pending of={unfit} />{/if}
