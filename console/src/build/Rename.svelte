<script lang="ts">
	// Another name for a query, a question or a column, wherever it is used: every line
	// that changes is shown first.
	import { fullMessageOf, rename, type Renamed } from '../lib/api';
	import Dialog from '../parts/Dialog.svelte';

	let {
		kind,
		name,
		questions,
		columns,
		onclose,
	}: {
		/** The definition, and what it has that can get another name. */
		kind: string;
		name: string;
		questions: string[];
		columns: string[];
		/** Told the name that the definition has now, blank where nothing changed. */
		onclose: (name: string) => void;
	} = $props();

	let what = $state('');
	let to = $state('');
	let shown = $state.raw<Renamed>();
	let trouble = $state('');
	let busy = $state(false);
	const [part, of] = $derived(what.split(/ (.*)/s));

	async function ask(keep: boolean) {
		busy = true;
		trouble = '';
		try {
			const made = await rename({
				kind,
				name,
				to: to.trim(),
				keep,
				...(part === 'column' && { column: of }),
				...(part === 'question' && { question: of }),
			});
			if (keep) onclose(made.changes?.find((c) => c.kind === kind && c.name === name)?.becomes ?? name);
			else shown = made;
		} catch (e) {
			shown = undefined;
			trouble = fullMessageOf(e);
		}
		busy = false;
	}
</script>

<Dialog title="Rename" width="44rem" onclose={() => onclose('')}>
	<form
		class="space-y-3"
		data-rename
		onsubmit={(e) => {
			e.preventDefault();
			ask(shown !== undefined);
		}}
		oninput={() => (shown = undefined)}
	>
		<div class="flex flex-wrap gap-3">
			<label class="grow basis-60"
				>What
				<select class="field" name="rename-what" bind:value={what}>
					<option value="">the {kind} {name}</option>
					{#each questions as q (q)}<option value="question {q}">the question {q}</option>{/each}
					{#each columns as c (c)}<option value="column {c}">the column {c}</option>{/each}
				</select></label
			>
			<label class="grow basis-60">New name <input class="field" name="rename-to" required bind:value={to} /></label>
		</div>
		<p class="muted text-sm">
			Every draft that uses it changes with it. What is published stays as it is until it is published again.
		</p>
		{#if trouble}<p role="alert" class="wash-bad text-sm">{trouble}</p>{/if}
		{#if shown}
			<div class="max-h-[45vh] space-y-3 overflow-y-auto" data-renamed role="status">
				{#each shown.changes ?? [] as c (c.kind + c.name)}
					<section>
						<h3 class="text-sm font-semibold">
							{c.kind}
							{c.name}{#if c.becomes}, which becomes {c.becomes}{/if}
						</h3>
						<ul class="font-mono text-[13px]">
							{#each c.lines ?? [] as l (l.line)}
								<li class="border-line grid grid-cols-[2.5rem_1fr] border-b py-1">
									<span class="text-ink-3 row-span-2">{l.line}</span>
									<del class="text-bad break-words">{l.was.trim()}</del>
									{#if l.is}<ins class="text-act col-start-2 break-words no-underline">{l.is.trim()}</ins>{/if}
								</li>
							{/each}
						</ul>
					</section>
				{/each}
				{#each shown.stays ?? [] as d (d.kind + d.name)}
					<p class="wash-warn text-sm">
						The {d.kind}
						{d.name} stays as well: {d.published
							? 'it is published. Publish what uses it, then remove it.'
							: 'definitions that you may not see use it.'}
					</p>
				{/each}
				{#each shown.warnings ?? [] as p, i (i)}
					<p class="wash-warn text-sm">{p.message} {p.hint ?? ''}</p>
				{/each}
			</div>
		{/if}
		<button type="submit" class="button-act" disabled={busy}>{shown ? 'Rename' : 'Show what changes'}</button>
	</form>
</Dialog>
