<script lang="ts">
	// How a run comes about: what was typed, what it was read as, the criteria
	// in words, and the SQL with its values.
	import { explainReport, Refusal, type Explanation, type Inputs, type Target } from '../lib/api';
	import Asked from '../ask/Asked.svelte';
	import Statement from './Statement.svelte';

	let {
		target,
		inputs,
		sort,
		command,
		spent,
	}: {
		target: Target;
		inputs: Inputs;
		sort: string[];
		/** The same run as a command line. */
		command: string;
		/** How long the run took that stands beside it, in words. */
		spent: string;
	} = $props();

	let explanation = $state.raw<Explanation>();
	let failure = $state('');

	$effect(() => {
		explainReport(target, inputs, sort)
			.then((e) => (explanation = e))
			.catch((e: Refusal) => (failure = e.message));
	});
</script>

{#if failure}
	<p class="text-error-700-300">{failure}</p>
{:else if explanation}
	<p class="mb-1">{explanation.readback}</p>
	<p class="muted mb-4 text-sm">
		Read as of {explanation.as_of}, in the zone {explanation.zone}; {explanation.version
			? `version ${explanation.version} of the report`
			: 'the draft'}.
	</p>

	<h3 class="mb-1 font-semibold">Asked</h3>
	<Asked
		lines={(explanation.answers ?? []).map((a) => ({
			name: a.label,
			typed: (a.given ? a.typed : 'left blank') + (a.default ? ' (default)' : ''),
			read: a.readback,
		}))}
	/>

	<h3 class="mb-1 font-semibold">Criteria</h3>
	<ol class="mb-4 space-y-2 text-sm">
		{#each explanation.conditions ?? [] as line, i (i)}
			<li class="border-surface-200-800 border-t pt-1">
				{line.words}
				<code class="muted block wrap-anywhere whitespace-pre-wrap">{line.text}</code>
				{#if line.sql}<code class="block wrap-anywhere whitespace-pre-wrap">{line.sql}</code>{:else}<span class="muted"
						>restricts nothing in this run</span
					>{/if}
			</li>
		{/each}
	</ol>

	{#if explanation.findings?.length}
		<h3 class="mb-1 font-semibold">Proved of the criteria with these answers</h3>
		<ul class="mb-4 text-sm">
			{#each explanation.findings as finding (finding.code + finding.offset)}<li>
					{finding.message}
					{finding.hint ?? ''}
				</li>{/each}
		</ul>
	{/if}

	<h3 class="mb-1 font-semibold">How the database goes about it</h3>
	<ul class="mb-4 text-sm">
		{#each explanation.plan?.advice ?? [] as sentence (sentence)}<li>{sentence}</li>{/each}
		{#if spent}<li>{spent}</li>{/if}
	</ul>

	<Statement sql={explanation.sql} values={explanation.values ?? []} />

	<h3 class="mt-4 mb-1 font-semibold">The same elsewhere</h3>
	<!-- svelte-ignore a11y_no_noninteractive_tabindex (it scrolls) -->
	<pre class="panel mb-2 overflow-x-auto p-2 text-sm" tabindex="0" data-command>{command}</pre>
	{#if explanation.computed?.length}
		<h3 class="mb-1 font-semibold">Worked out from the records, in exact decimals</h3>
		<ul class="text-sm">
			{#each explanation.computed as formula (formula)}<li><code>{formula}</code></li>{/each}
		</ul>
	{/if}
{/if}
