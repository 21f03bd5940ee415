<script lang="ts">
	// The versions of a definition: two of them compared in words, one shown, one
	// brought back.
	import Dialog from '../parts/Dialog.svelte';
	import { listVersions, messageOf, showDefinition, showDifferences, type Difference, type Version } from '../lib/api';
	import { instantText } from '../lib/text';

	let {
		kind,
		name,
		onback,
		onclose,
	}: { kind: string; name: string; onback: (text: string, version: number) => void; onclose: () => void } = $props();

	let versions = $state.raw<Version[]>();
	let failure = $state('');
	/** Version 0 is the draft as it was saved. */
	let from = $state(0);
	let to = $state(0);
	let differences = $state.raw<Difference[]>();
	let text = $state('');
	$effect(() => {
		listVersions(kind, name).then(
			(list) => {
				versions = list;
				from = list[0]?.number ?? 0;
			},
			(e) => (failure = messageOf(e)),
		);
	});
	$effect(() => {
		if (!versions) return;
		const [a, b] = [from, to];
		Promise.all([showDifferences(kind, name, a, b), showDefinition(kind, name, a)]).then(
			([d, t]) => {
				if (a === from && b === to) [differences, text] = [d, t];
			},
			(e) => (failure = messageOf(e)),
		);
	});
	const named = (n: number) => (n === 0 ? 'the draft as saved' : `version ${n}`);
</script>

<Dialog title="Versions of {kind} {name}" width="48rem" {onclose}>
	{#if failure}<p role="alert" class="text-bad">{failure}</p>{/if}
	{#if versions?.length === 0}<p>It was never published.</p>
	{:else if versions}
		<div class="flex flex-wrap items-end gap-3 text-sm">
			{#each [{ label: 'From', get: () => from, set: (n: number) => (from = n) }, { label: 'To', get: () => to, set: (n: number) => (to = n) }] as side (side.label)}
				<label
					>{side.label}
					<select class="field" value={side.get()} onchange={(e) => side.set(Number(e.currentTarget.value))}>
						<option value={0}>The draft as saved</option>
						{#each versions as v (v.number)}<option value={v.number}
								>Version {v.number}, {instantText(v.published_at)}</option
							>{/each}
					</select>
				</label>
			{/each}
		</div>
		<section>
			<h3 class="font-semibold">From {named(from)} to {named(to)}</h3>
			<ul class="list-disc pl-5 text-sm" data-differences>
				{#each differences ?? [] as d, i (i)}<li>{d.words}</li>{:else}<li>
						Nothing differs but comments and the order of fields.
					</li>{/each}
			</ul>
		</section>
		<section>
			<div class="mb-1 flex flex-wrap items-center justify-between gap-2">
				<h3 class="font-semibold">The text of {named(from)}</h3>
				{#if from > 0}<button
						type="button"
						class="button-act"
						onclick={() => {
							onback(text, from);
							onclose();
						}}>Bring version {from} back</button
					>{/if}
			</div>
			<!-- svelte-ignore a11y_no_noninteractive_tabindex (it scrolls) -->
			<pre class="bg-wash rounded-base max-h-80 overflow-auto p-3" tabindex="0">{text}</pre>
		</section>
	{/if}
</Dialog>
