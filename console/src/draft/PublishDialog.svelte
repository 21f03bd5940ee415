<script lang="ts">
	// What publishing would do, before it is done: the differences in words, what
	// becomes of the examples, and who is affected.
	import Dialog from '../parts/Dialog.svelte';
	import { publishDefinition, messageOf, Refusal, reviewDefinition, type Review } from '../lib/api';

	let { name, onclose }: { name: string; onclose: (published: string) => void } = $props();

	let review = $state.raw<Review>();
	let failure = $state('');
	let done = $state('');
	let busy = $state(false);
	$effect(() => {
		reviewDefinition(name)
			.then((r) => (review = r))
			.catch((e: Refusal) => (failure = e.message));
	});
	const barred = $derived((review?.problems ?? []).some((p) => p.severity !== 'warning'));
	const broken = $derived((review?.examples ?? []).filter((e) => !e.kept).length);
	async function publish(close: () => void) {
		busy = true;
		try {
			const made = await publishDefinition(name);
			done = (made.definitions ?? []).map((d) => `${d.kind} ${d.name} is published as version ${d.version}.`).join(' ');
			close();
		} catch (e) {
			failure = messageOf(e);
		}
		busy = false;
	}
</script>

<Dialog title="Publish {name}" onclose={() => onclose(done)}>
	{#if failure}<p role="alert" class="text-bad">{failure}</p>{/if}
	{#if review}
		{#each review.changes ?? [] as change (change.kind + change.name)}
			<section>
				<h3 class="font-semibold">{change.kind} {change.name} becomes version {change.version}</h3>
				<ul class="list-disc pl-5 text-sm" data-changes>
					{#each change.differences ?? [] as difference, i (i)}<li>
							{difference.words}
						</li>
					{:else}<li>
							{change.version === 1
								? 'It was never published before.'
								: 'Its own text says the same; what it uses is newer, or comments differ.'}
						</li>{/each}
				</ul>
			</section>
		{/each}
		{#if review.changes?.length === 0 && !barred}<p>What was saved is published already, with what it uses.</p>{/if}
		{#each review.problems ?? [] as problem, i (i)}
			<p class="text-sm {problem.severity === 'warning' ? '' : 'text-bad'}">
				<span aria-hidden="true">▲</span>
				{problem.field}: {problem.message}
				{problem.hint ?? ''}
			</p>
		{/each}
		{#if review.examples?.length}
			<section>
				<h3 class="font-semibold">Examples</h3>
				<ul class="text-sm">
					{#each review.examples as example (example.report + example.number)}
						<li>
							{example.report}, example {example.number}: <strong>{example.kept ? 'kept' : 'broken'}</strong>. {example.words}
						</li>
					{/each}
				</ul>
			</section>
		{/if}
		<section>
			<h3 class="font-semibold">Who is affected</h3>
			<ul class="text-sm">
				{#each review.users ?? [] as user (user.kind + user.name)}
					<li>
						{user.kind}
						{user.name}{user.through ? `, through ${user.through}` : ''}; it goes on with the version it was published
						with until it is published again.
					</li>
				{:else}<li>Nothing that is published uses it.</li>{/each}
			</ul>
		</section>
	{:else if !failure}<p class="muted">Checking what would change …</p>{/if}
	{#snippet foot(close)}
		{#if broken}<span class="text-sm">{broken} of the examples {broken === 1 ? 'is' : 'are'} not kept.</span>{/if}
		<button type="button" class="button" onclick={close}>Not now</button>
		<button
			type="button"
			class="button-act"
			disabled={!review?.changes?.length || barred || busy}
			onclick={() => publish(close)}>{broken ? 'Publish anyway' : 'Publish'}</button
		>
	{/snippet}
</Dialog>
