<script lang="ts">
	// How many records are left of a result: the first, or those with the greatest or the
	// least of something, perhaps for each of something else.
	import type { Operator, Phrase } from '../lib/api';
	import { labelled, lowered, valueWords, type Building } from './building';
	import Choice from './Choice.svelte';
	import type { Pointing } from './Condition.svelte';
	import Pointed from './Pointed.svelte';
	import ValueFields from './ValueFields.svelte';

	let {
		phrase,
		key,
		building,
		pointing,
		onback,
		onchange,
	}: {
		phrase: Phrase;
		/** The place of the condition, which tells what is opened. */
		key: string;
		building: Building;
		pointing: Pointing;
		onback: () => void;
		onchange: (to: Phrase) => void;
	} = $props();

	const kinds = { first: 'the first', greatest: 'the greatest', least: 'the least' } as const;
	const one: Operator = { comparison: 'first', words: '', takes: 'one' };
	const columns = $derived(building.subjects.map((s) => ({ value: s.text, text: s.label, note: s.text })));
	const by = $derived(phrase.by ?? []);
	const subject = (text: string) => {
		const s = building.subjects.find((s) => s.text === text);
		return { text, label: s?.label ?? labelled(text), type: s?.type ?? '' } as NonNullable<Phrase['subject']>;
	};
	const number = $derived(phrase.values?.[0] ? valueWords(phrase.values[0], building.questions) : '…');
</script>

<span class="text-ink-2">only</span>
<Pointed
	{pointing}
	{onback}
	id="{key}:comparison"
	text={kinds[phrase.comparison as keyof typeof kinds] ?? 'the first'}
	label="Which of them"
	class="phrase compared"
	data-part="comparison"
>
	{#snippet panel(close)}
		<Choice
			label="Which"
			options={Object.entries(kinds).map(([value, text]) => ({
				value,
				text: value === 'first' ? 'the first, in the order shown' : `${text} of a column`,
			}))}
			chosen={phrase.comparison}
			onchoose={(comparison) => {
				close();
				const of = building.subjects.find((s) => s.type === 'integer' || s.type === 'decimal') ?? building.subjects[0];
				onchange({
					...phrase,
					comparison,
					subject: comparison === 'first' ? undefined : (phrase.subject ?? (of && subject(of.text))),
				});
			}}
		/>
	{/snippet}
</Pointed>
<Pointed
	{pointing}
	{onback}
	id="{key}:value"
	text={number}
	label="How many"
	class="phrase {phrase.values?.[0]?.from === 'asked' ? 'asked' : ''}"
	data-part="value"
>
	{#snippet panel(close)}
		<ValueFields
			phrase={{ ...phrase, subject: { text: 'how_many', label: 'How many', type: 'integer' } }}
			operator={one}
			{building}
			onchange={(values) => onchange({ ...phrase, values })}
			onchosen={close}
		/>
	{/snippet}
</Pointed>
{#if phrase.comparison !== 'first'}
	<span class="text-ink-2">of</span>
	<Pointed
		{pointing}
		{onback}
		id="{key}:subject"
		text={lowered(phrase.subject?.label || phrase.subject?.text || '…')}
		label="Of what"
		class="phrase"
		data-part="subject"
	>
		{#snippet panel(close)}
			<Choice
				label="Column"
				options={columns}
				chosen={phrase.subject?.text}
				onchoose={(text) => {
					close();
					onchange({ ...phrase, subject: subject(text) });
				}}
			/>
		{/snippet}
	</Pointed>
{/if}
{#each by as b, i (i)}
	<span class="text-ink-2">{i ? 'and' : 'for each'}</span>
	<Pointed
		{pointing}
		{onback}
		id="{key}:by{i}"
		text={lowered(b.label || b.text)}
		label="For each"
		class="phrase"
		data-part="by"
		title={b.text}
	>
		{#snippet panel(close)}
			<Choice
				label="Column"
				options={columns.filter((c) => c.value === b.text || !by.some((o) => o.text === c.value))}
				chosen={b.text}
				onchoose={(text) => {
					close();
					onchange({ ...phrase, by: by.map((o, n) => (n === i ? subject(text) : o)) });
				}}
			/>
			<button
				type="button"
				class="button"
				onclick={() => {
					close();
					onchange({ ...phrase, by: by.filter((_, n) => n !== i) });
				}}>Remove</button
			>
		{/snippet}
	</Pointed>
{/each}
<Pointed
	{pointing}
	{onback}
	id="{key}:by"
	text={by.length ? '+' : '+ for each'}
	label="For each"
	class="text-act text-sm font-semibold"
	aria-label="For each of a column"
>
	{#snippet panel(close)}
		<Choice
			label="Column"
			options={columns.filter((c) => !by.some((o) => o.text === c.value))}
			onchoose={(text) => {
				close();
				onchange({ ...phrase, by: [...by, subject(text)] });
			}}
		/>
	{/snippet}
</Pointed>
