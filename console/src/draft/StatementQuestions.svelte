<script lang="ts">
	// The values in the conditions of SQL by hand that can be asked for instead, each with a
	// button that puts the question into the query.
	import { beginStatement, type Proposal } from '../lib/api';
	import { Loaded } from '../lib/loaded.svelte';

	let {
		sql,
		source,
		asked,
		onask,
	}: { sql: string; source: string; asked: string[]; onask: (sql: string, proposal: Proposal) => void } = $props();

	const found = new Loaded<Proposal[]>();
	let of = $state('');
	$effect(() => {
		const [statement, from, names] = [sql, source, asked.join(' ')];
		let stop = () => {};
		const timer = setTimeout(() => {
			stop = found.ask(
				async (signal) =>
					(await beginStatement(from, statement, names.split(' ').filter(Boolean), signal)).questions ?? [],
				() => (of = statement),
			);
		}, 300);
		return () => {
			clearTimeout(timer);
			stop();
		};
	});
	// While newer text is looked at, what was found in the older one has other places.
	const proposals = $derived(of === sql && !found.failure ? (found.value ?? []) : []);

	function ask(p: Proposal) {
		const characters = [...sql];
		characters.splice(p.offset, p.length, p.becomes);
		onask(characters.join(''), p);
	}
</script>

{#if proposals.length}
	<section aria-label="Values in the SQL" class="space-y-1 text-sm" data-statement>
		<h2 class="font-semibold">Values in the SQL</h2>
		<ul class="space-y-1">
			{#each proposals as p (p.offset)}
				<li class="flex flex-wrap items-baseline gap-x-2">
					<button type="button" class="button" onclick={() => ask(p)}
						>Ask for it<span class="sr-only">: {p.condition}</span></button
					>
					<code>{p.condition}</code>
					<span class="muted">becomes <code>{p.becomes}</code>{p.note ? `. ${p.note}` : ''}</span>
				</li>
			{/each}
		</ul>
	</section>
{/if}
