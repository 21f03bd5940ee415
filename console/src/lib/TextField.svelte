<script lang="ts">
	// A text question: free, one of the choices, or several of them.
	import { listChoices, type Choice, type Fix, type Problem, type Question } from './api';
	import Problems from './Problems.svelte';

	let {
		report,
		question,
		value = $bindable(),
		problems,
	}: { report: string; question: Question; value: string[]; problems: Problem[] } = $props();

	let choices = $state<Choice[]>([]);
	let search = $state('');
	const id = $derived('q-' + question.name);
	const chosen = $derived(question.choices.column || question.choices.listed?.length);

	$effect(() => {
		if (chosen) listChoices(report, question.name).then((list) => (choices = list));
	});
	const shown = $derived(
		choices.filter((c) => (c.label || c.value).toLowerCase().includes(search.trim().toLowerCase())),
	);
	const fix = (f: Fix, p: Problem) => {
		const wrong = value.find((v) => p.message.includes(`"${v}"`));
		value = value.map((v) => (v === wrong || !question.many ? f.text : v));
	};
	function toggle(choice: string, on: boolean) {
		value = on ? [...value, choice] : value.filter((v) => v !== choice);
	}
</script>

{#if chosen && question.many}
	<fieldset aria-describedby="{id}-problems">
		<legend class="sr-only">{question.label}</legend>
		{#if choices.length > 8}
			<input
				class="field mb-1"
				type="search"
				placeholder="Search {choices.length} choices"
				aria-label="Search {question.label}"
				bind:value={search}
			/>
		{/if}
		<div class="panel max-h-36 overflow-y-auto p-1.5">
			{#each shown as choice (choice.value)}
				<label class="hover:preset-tonal rounded-base flex items-center gap-2 px-1.5 py-0.5">
					<input
						type="checkbox"
						checked={value.includes(choice.value)}
						onchange={(e) => toggle(choice.value, e.currentTarget.checked)}
					/>
					{choice.label || choice.value}
				</label>
			{:else}
				<p class="muted px-1.5">Nothing like that.</p>
			{/each}
		</div>
	</fieldset>
{:else if chosen}
	<select
		{id}
		class="field"
		aria-label={question.label}
		aria-describedby="{id}-problems"
		value={value[0] ?? ''}
		onchange={(e) => (value = e.currentTarget.value ? [e.currentTarget.value] : [])}
	>
		<option value="">{question.required ? 'Choose …' : 'Any'}</option>
		{#each choices as choice (choice.value)}
			<option value={choice.value}>{choice.label || choice.value}</option>
		{/each}
	</select>
{:else}
	<input
		{id}
		class="field"
		aria-label={question.label}
		aria-describedby="{id}-problems"
		value={value.join(', ')}
		oninput={(e) => {
			const text = e.currentTarget.value;
			value = question.many ? text.split(',').map((t) => t.trim()) : [text];
		}}
	/>
{/if}
<Problems id="{id}-problems" {problems} onfix={fix} />
