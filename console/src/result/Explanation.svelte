<script lang="ts">
	// How a run comes about: what was typed, what it was read as, the criteria
	// in words, and the SQL with its values.
	import { explainReport, type Explanation, type Inputs, type Target } from '../lib/api';
	import { Loaded } from '../lib/loaded.svelte';
	import Pending from '../parts/Pending.svelte';
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

	const loaded = new Loaded<Explanation>();
	const explanation = $derived(loaded.value);
	$effect(() => {
		const [of, asked, order] = [target, inputs, sort];
		return loaded.ask((signal) => explainReport(of, asked, order, signal));
	});
</script>

<Pending of={loaded} lines={6} />
{#if explanation}
	<div class="space-y-4">
		<div>
			<p>{explanation.readback}</p>
			<p class="muted text-sm">
				Read as of {explanation.as_of}, in the zone {explanation.zone}{explanation.calendar
					? `, by the calendar ${explanation.calendar} (version ${explanation.calendar_version})`
					: ''}; {explanation.version ? `version ${explanation.version} of the report` : 'the draft'}.
			</p>
		</div>
		<section>
			<h3 class="mb-1 font-semibold">Answers</h3>
			<Asked
				lines={(explanation.answers ?? []).map((a) => ({
					name: a.label,
					typed: (a.given ? a.typed : 'left blank') + (a.default ? ' (default)' : ''),
					read: a.readback,
				}))}
			/>
		</section>
		<section>
			<h3 class="mb-1 font-semibold">Criteria</h3>
			<ol class="text-sm">
				{#each explanation.conditions ?? [] as line, i (i)}
					<li class="border-line border-t py-1.5">
						{line.words}
						<code class="muted block wrap-anywhere whitespace-pre-wrap">{line.text}</code>
						{#if line.sql}<code class="block wrap-anywhere whitespace-pre-wrap">{line.sql}</code>{:else}<span
								class="muted">restricts nothing in this run</span
							>{/if}
					</li>
				{/each}
			</ol>
		</section>
		{#if explanation.restrictions?.length}
			<section data-rows-seen>
				<h3 class="mb-1 font-semibold">Rows you may see</h3>
				<ul class="text-sm">
					{#each explanation.restrictions as r (r.table)}
						<li class="border-line border-t py-1.5">
							<b class="font-semibold">{r.table}</b>
							{#each r.rows ?? [] as rows, i (i)}
								<span class="block">{rows.title || rows.words}</span>
								{#if rows.title}<span class="muted block">{rows.words}</span>{/if}
							{:else}
								none
							{/each}
						</li>
					{/each}
				</ul>
			</section>
		{/if}
		{#if explanation.findings?.length}
			<section>
				<h3 class="mb-1 font-semibold">Proved of the criteria with these answers</h3>
				<ul class="text-sm">
					{#each explanation.findings as finding, i (i)}<li class="wash-warn">
							{finding.message}
							{finding.hint ?? ''}
						</li>{/each}
				</ul>
			</section>
		{/if}
		<section>
			<h3 class="mb-1 font-semibold">How the database runs it</h3>
			<ul class="text-sm">
				{#each [...(explanation.files ?? []), ...(explanation.plan?.advice ?? [])] as sentence, i (i)}<li>
						{sentence}
					</li>{/each}
				{#if spent}<li>{spent}</li>{/if}
			</ul>
		</section>
		<Statement sql={explanation.sql} values={explanation.values ?? []} />
		{#if explanation.computed?.length}
			<section>
				<h3 class="mb-1 font-semibold">Computed from each record, in exact decimals</h3>
				<ul class="text-sm">
					{#each explanation.computed as formula, i (i)}<li><code>{formula}</code></li>{/each}
				</ul>
			</section>
		{/if}
		<section>
			<h3 class="mb-1 font-semibold">The same from a terminal or a program</h3>
			<!-- svelte-ignore a11y_no_noninteractive_tabindex (it scrolls) -->
			<pre class="bg-wash rounded-base overflow-x-auto p-3" tabindex="0" data-command>{command}</pre>
		</section>
	</div>
{/if}
