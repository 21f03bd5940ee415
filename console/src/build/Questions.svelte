<script lang="ts">
	// The questions as people meet them, in order; each is edited where it stands.
	import { fieldsOf, textOf, type Value } from '../draft/definition';
	import SchemaForm, { type Drafting } from '../draft/SchemaForm.svelte';
	import type { Schema } from '../draft/schema-form';
	import type { Asked } from './building';

	let {
		parameters,
		questions,
		schema,
		drafting,
		quick,
		onadd,
	}: {
		/** The questions of the query, as they are written. */
		parameters: Value[];
		/** The same, as people meet them. */
		questions: Asked[];
		/** The schema of one question. */
		schema: Schema | undefined;
		drafting: Drafting;
		/** The answers that are suggested, by question. */
		quick: Record<string, string[]>;
		onadd: (kind: string) => void;
	} = $props();

	let opened = $state('');
	const kinds: Record<string, string> = {
		period: 'A start and an end date, both days in full.',
		date: 'One day.',
		'date-time': 'A day and a time of day.',
		text: 'A text.',
		integer: 'A whole number.',
		decimal: 'A number.',
		'yes-no': 'Yes or no.',
	};
	/** What is asked for, in a few sentences. */
	function about(v: Value, q: Asked): string {
		const fields = fieldsOf(v);
		if (q.shared) return `The shared question ${q.name}.`;
		const limits = fieldsOf(fields.limits);
		const choices = fieldsOf(fields.choices);
		const said: string[] = [];
		const from = textOf(choices.column) || textOf(choices.query) || (Array.isArray(choices.listed) ? 'a list' : '');
		if (from) said.push(`${q.many ? 'Several' : 'One'} of the values of ${from}.`);
		else said.push((q.many ? 'Several: ' : '') + (kinds[q.kind] ?? ''));
		if (textOf(limits.earliest) || textOf(limits.latest))
			said.push(
				[
					textOf(limits.earliest) && `From ${textOf(limits.earliest)}`,
					textOf(limits.latest) && `to ${textOf(limits.latest)}`,
				]
					.filter(Boolean)
					.join(' ') + '.',
			);
		if (textOf(limits.longest)) said.push(`At most ${textOf(limits.longest)}.`);
		const unless = Array.isArray(fields.default) ? fields.default.map(textOf).join(', ') : textOf(fields.default);
		if (unless) said.push(`Unless answered: ${unless}.`);
		else if (fields.required !== true) said.push('Left blank: any.');
		if (quick[q.name]?.length) said.push(`Suggests ${quick[q.name]!.join(', ')}.`);
		return said.join(' ');
	}
	const places = ['label', 'help', 'required', 'many', 'default', 'limits', 'choices', 'when_blank'];
</script>

<h2 class="pane-head">Questions</h2>
<ul class="space-y-2" data-questions>
	{#each questions as q, i (i)}
		<li class="border-line rounded-base border">
			<button
				type="button"
				class="w-full px-3 py-2 text-left"
				aria-expanded={opened === q.name}
				data-card={q.name}
				onclick={() => (opened = opened === q.name ? '' : q.name)}
			>
				<span class="font-semibold">{q.label}</span>
				{#if fieldsOf(parameters[i]).required === true}<small class="text-act">needed</small>
				{:else}<small class="text-ink-3">may be left blank</small>{/if}
				<span class="muted block text-[13px]">{about(parameters[i]!, q)}</span>
			</button>
			{#if opened === q.name}
				<div class="border-line space-y-2 border-t px-3 py-2">
					{#if schema}
						<SchemaForm
							{schema}
							value={fieldsOf(parameters[i])}
							path={['parameters', i]}
							primary={q.shared ? [] : places}
							{drafting}
						/>
					{/if}
					<div class="flex flex-wrap gap-1">
						<button
							type="button"
							class="button"
							disabled={i === 0}
							onclick={() => drafting.move(['parameters'], i, i - 1)}>↑ Earlier</button
						>
						<button
							type="button"
							class="button"
							disabled={i === questions.length - 1}
							onclick={() => drafting.move(['parameters'], i, i + 1)}>↓ Later</button
						>
						<button type="button" class="button" onclick={() => drafting.set(['parameters', i], undefined)}
							>Remove</button
						>
					</div>
				</div>
			{/if}
		</li>
	{:else}<li class="muted text-sm">Nothing is asked.</li>
	{/each}
</ul>
<select
	class="text-act mt-2 max-w-full border-0 bg-transparent text-sm font-semibold"
	aria-label="Add a question"
	value=""
	onchange={(e) => {
		if (e.currentTarget.value) onadd(e.currentTarget.value);
		e.currentTarget.value = '';
	}}
>
	<option value="">+ question</option>
	{#each Object.entries(kinds) as [kind, words] (kind)}<option value={kind}>{words}</option>{/each}
</select>
