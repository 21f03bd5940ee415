<script lang="ts">
	// A question answered by text: free, yes or no, one of the choices, or several.
	import {
		listChoices,
		type Choice,
		type Fix,
		type Inputs,
		type Problem,
		type Question,
		type Target,
	} from '../lib/api';
	import { SvelteMap } from 'svelte/reactivity';
	import { Loaded } from '../lib/loaded.svelte';
	import Pending from '../parts/Pending.svelte';
	import Problems from '../parts/Problems.svelte';
	import { countText } from '../lib/text';

	let {
		target,
		question,
		inputs,
		value = $bindable(),
		problems,
	}: { target: Target; question: Question; inputs: Inputs; value: string[]; problems: Problem[] } = $props();

	const choicesOf = new Loaded<Choice[]>();
	const choices = $derived(choicesOf.value ?? []);
	let most = $state(0);
	let search = $state('');
	const id = $derived('q-' + question.name);
	const yesNo: Choice[] = [{ value: 'yes' }, { value: 'no' }];
	const chosen = $derived(
		question.kind === 'yes-no' || question.choices.column || question.choices.query || question.choices.listed?.length,
	);
	// The choices follow the other answers and the search; those chosen stay in view.
	$effect(() => {
		if (!chosen || question.kind === 'yes-no') return;
		const others = Object.fromEntries(Object.entries(inputs).filter(([name]) => name !== question.name));
		const text = search;
		let stop = () => {};
		const timer = setTimeout(() => {
			stop = choicesOf.ask(
				(signal) => listChoices(target, question.name, text, others, signal),
				(list) => (most = Math.max(most, list.length)),
			);
		}, 120);
		return () => {
			clearTimeout(timer);
			stop();
		};
	});
	const shown = $derived.by(() => {
		const list = question.kind === 'yes-no' ? yesNo : choices;
		const lower = search.trim().toLowerCase();
		// One that was chosen and does not go with the other answers stays, and finds nothing.
		const whole = search === '' && question.choices.column && list.length < 200;
		const kept = [...new Set(value)]
			.filter((v) => v && !list.some((c) => c.value === v))
			.map((v): Choice => ({ value: v, ...(whole ? { count: 0 } : {}) }));
		return [...kept, ...list.filter((c) => (c.label || c.value).toLowerCase().includes(lower))];
	});
	const named = (c: Choice) => (c.label || c.value) + (c.count === undefined ? '' : ` (${countText(c.count)})`);
	/** Few choices stand as chips; many are searched. */
	const few = $derived(most <= 8);
	const labels = new SvelteMap<string, string>();
	$effect(() => {
		for (const c of choices) if (c.label) labels.set(c.value, c.label);
	});
	const fix = (f: Fix, p: Problem) => {
		const wrong = value.find((v) => p.message.includes(`"${v}"`));
		value = value.length ? value.map((v) => (v === wrong || !question.many ? f.text : v)) : [f.text];
	};
	function toggle(choice: string, on: boolean) {
		value = on ? [...value, choice] : value.filter((v) => v !== choice);
	}
</script>

{#if chosen && question.many}
	<fieldset aria-describedby="{id}-problems">
		<legend class="sr-only">{question.label}</legend>
		{#if few}
			<div class="flex flex-wrap gap-1.5">
				{#each shown as choice (choice.value)}
					{@const on = value.includes(choice.value)}
					<label
						class="chip focus-within:outline-act cursor-pointer focus-within:outline-2 {on
							? 'on'
							: ''} {choice.count === 0 ? 'border-dashed' : ''}"
					>
						<input
							type="checkbox"
							class="sr-only"
							checked={on}
							onchange={(e) => toggle(choice.value, e.currentTarget.checked)}
						/>
						<span>{choice.label || choice.value}</span>
						{#if choice.count !== undefined}<span class="tabular-nums {on ? '' : 'text-ink-3'}"
								>{countText(choice.count)}</span
							>{/if}
						{#if on}<span aria-hidden="true">×</span>{/if}
					</label>
				{:else}{@render none()}{/each}
			</div>
		{:else}
			{#if value.length}
				<ul class="mb-1.5 flex flex-wrap gap-1.5" aria-label="Chosen for {question.label}">
					{#each value as chip, i (i)}
						<li>
							<button
								type="button"
								class="chip on"
								aria-label="Remove {labels.get(chip) ?? chip}"
								onclick={() => toggle(chip, false)}>{labels.get(chip) ?? chip} <span aria-hidden="true">×</span></button
							>
						</li>
					{/each}
					{#if value.length > 1}<li>
							<button type="button" class="text-act min-h-7 px-1 text-[13px] underline" onclick={() => (value = [])}
								>Remove all</button
							>
						</li>{/if}
				</ul>
			{/if}
			<input
				class="field mb-1"
				type="search"
				placeholder="Search {countText(most)}{most >= 100 ? ' or more' : ''}"
				aria-label="Search {question.label}"
				bind:value={search}
			/>
			<div class="border-line rounded-base max-h-44 overflow-y-auto border p-1">
				{#each shown as choice (choice.value)}
					<label class="hover:bg-wash rounded-base flex min-h-7 items-center gap-2 px-1.5 text-sm">
						<input
							type="checkbox"
							checked={value.includes(choice.value)}
							onchange={(e) => toggle(choice.value, e.currentTarget.checked)}
						/>
						<span class="grow">{choice.label || choice.value}</span>
						{#if choice.count !== undefined}<span class="text-ink-3 tabular-nums">{countText(choice.count)}</span>{/if}
					</label>
				{:else}{@render none()}{/each}
			</div>
		{/if}
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
		{#each shown as choice (choice.value)}
			<option value={choice.value}>{named(choice)}</option>
		{/each}
	</select>
{:else}
	<input
		{id}
		class="field"
		aria-label={question.label}
		aria-invalid={problems.length > 0}
		aria-describedby="{id}-problems"
		value={value.join(', ')}
		oninput={(e) => {
			const text = e.currentTarget.value;
			value = question.many ? text.split(',').map((t) => t.trim()) : [text];
		}}
	/>
{/if}
<Problems id="{id}-problems" {problems} onfix={fix} />

{#snippet none()}
	<div class="muted px-1.5 text-sm">
		{#if choicesOf.value === undefined}<Pending of={choicesOf} />
		{:else if search}No choice has “{search}” in it.
		{:else}No choice goes with the other answers.{/if}
	</div>
{/snippet}
