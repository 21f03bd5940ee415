<script lang="ts">
	// What something is compared with: written there, one of the values that occur, the
	// answer to a question, or worked out. Going from one to another loses nothing.
	import { untrack } from 'svelte';
	import type { Operator, Phrase, PhraseValue } from '../lib/api';
	import { countText } from '../lib/text';
	import type { Building } from './building';

	let {
		phrase,
		operator,
		building,
		onchange,
		onchosen,
	}: {
		phrase: Phrase;
		operator: Operator;
		building: Building;
		onchange: (values: PhraseValue[]) => void;
		onchosen: () => void;
	} = $props();

	type From = PhraseValue['from'];
	const values = $derived(phrase.values ?? []);
	let from = $state<From>(untrack(() => phrase.values?.[0]?.from ?? 'fixed'));
	/** What stood there under each kind. */
	const stood: Partial<Record<From, PhraseValue[]>> = {};
	const kinds = $derived(
		(
			[
				['fixed', 'Fixed'],
				['asked', 'Asked'],
				['worked', 'Worked out'],
			] as [From, string][]
		).filter(([kind]) => kind !== 'worked' || operator.comparison !== 'first'),
	);
	function turn(to: From) {
		stood[from] = values;
		from = to;
		const before = stood[to];
		if (before?.length) onchange(before);
		else if (to !== 'asked') onchange([]);
	}
	const many = $derived(operator.takes === 'many');
	const column = $derived(phrase.subject?.column ?? '');
	const type = $derived(phrase.subject?.type ?? '');
	const searched = $derived(from === 'fixed' && column !== '' && ['text', 'integer', 'decimal'].includes(type));
	let search = $state('');
	let occurring = $state.raw<{ value: string; count?: number }[]>([]);
	$effect(() => {
		if (!searched) return;
		const [c, s] = [column, search];
		let here = true;
		const wait = setTimeout(
			() =>
				building.values(c, s).then(
					(list) => here && (occurring = list),
					() => here && (occurring = []),
				),
			untrack(() => (occurring.length ? 150 : 0)),
		);
		return () => {
			here = false;
			clearTimeout(wait);
		};
	});
	const has = (value: string) => values.some((v) => v.from === 'fixed' && v.text === value);
	function toggle(value: string) {
		if (!many) {
			onchange([{ from: 'fixed', text: value }]);
			return onchosen();
		}
		onchange(
			has(value)
				? values.filter((v) => v.text !== value)
				: [...values.filter((v) => v.from === 'fixed'), { from: 'fixed', text: value }],
		);
	}
	const set = (i: number, text: string) => {
		const made = [0, ...(operator.takes === 'two' ? [1] : [])].map((n) =>
			n === i ? { from, text } : (values[n] ?? { from, text: '' }),
		);
		onchange(made);
	};
	const goes = (q: { kind: string; many: boolean; shared: boolean }) =>
		q.shared ||
		(operator.takes === 'period' || ['date', 'date-time'].includes(type)
			? operator.takes === 'period'
				? q.kind === 'period'
				: ['date', 'date-time', 'period'].includes(q.kind)
			: q.kind !== 'period' && (many || !q.many));
	function ask(question: string) {
		onchange([{ from: 'asked', text: question }]);
		onchosen();
	}
	const hint = $derived(
		operator.takes === 'period'
			? '2025-03, last month, 2025-01-01/2025-03-31'
			: ['date', 'date-time'].includes(type)
				? '2025-03-31, today'
				: '',
	);
	const id = $props.id();
</script>

<div class="flex gap-1" role="radiogroup" aria-label="Where it comes from">
	{#each kinds as [kind, words] (kind)}
		<button type="button" role="radio" class="chip" aria-checked={from === kind} onclick={() => turn(kind)}
			>{words}</button
		>
	{/each}
</div>
{#if from === 'asked'}
	<ul class="-mx-1" aria-label="Questions">
		{#each building.questions.filter(goes) as q (q.name)}
			<li>
				<button
					type="button"
					class="rounded-base hover:bg-wash flex min-h-7 w-full items-center justify-between px-2 text-left {values[0]
						?.from === 'asked' && values[0].text === q.name
						? 'text-act font-semibold'
						: ''}"
					data-question={q.name}
					onclick={() => ask(q.name)}
					><span>{q.label}</span><small class="text-ink-3">{q.shared ? 'shared' : q.kind}</small></button
				>
			</li>
		{/each}
	</ul>
	<button type="button" class="button" onclick={() => ask(building.ask(phrase.subject!, operator))}
		>Ask a new question</button
	>
{:else if from === 'worked'}
	{#each operator.takes === 'two' ? [0, 1] : [0] as i (i)}
		<input
			class="field"
			aria-label={operator.takes === 'two' ? (i ? 'To' : 'From') : 'Expression'}
			list="names-words"
			placeholder="issued_on + 30 days"
			value={values[i]?.from === 'worked' ? values[i].text : ''}
			onchange={(e) => set(i, e.currentTarget.value)}
		/>
	{/each}
	<p class="muted text-xs">Another column, a date that is moved, or any expression.</p>
{:else if type === 'yes-no'}
	<div class="flex gap-1">
		{#each [['true', 'Yes'], ['false', 'No']] as [value, words] (value)}
			<button type="button" class="chip" aria-pressed={has(value!)} onclick={() => toggle(value!)}>{words}</button>
		{/each}
	</div>
{:else}
	{#if many}
		<ul class="flex flex-wrap gap-1" aria-label="Chosen">
			{#each values as v (v.text)}
				<li>
					<button type="button" class="chip on" onclick={() => toggle(v.text)}
						>{v.text}<span aria-hidden="true">×</span><span class="sr-only">, remove</span></button
					>
				</li>
			{/each}
		</ul>
		<input
			class="field"
			data-first
			data-adds
			aria-label="Find or add a value"
			placeholder="Find, or type one and press Enter"
			bind:value={search}
			onkeydown={(e) => {
				if (e.key !== 'Enter' || !search.trim()) return;
				e.stopPropagation();
				if (!has(search.trim())) toggle(search.trim());
				search = '';
			}}
		/>
	{:else}
		{#each operator.takes === 'two' ? [0, 1] : [0] as i (i)}
			<input
				class="field"
				data-first={i === 0 || undefined}
				aria-label={operator.takes === 'two' ? (i ? 'To' : 'From') : 'Value'}
				placeholder={hint}
				value={values[i]?.from === 'fixed' ? values[i].text : ''}
				oninput={(e) => {
					if (searched) search = e.currentTarget.value;
				}}
				onchange={(e) => set(i, e.currentTarget.value.trim())}
			/>
		{/each}
		{#if hint}<p class="muted text-xs">As you would say it: {hint}.</p>{/if}
	{/if}
	{#if searched && occurring.length}
		<ul class="-mx-1 max-h-44 overflow-y-auto" aria-label="Values that occur" {id}>
			{#each occurring as o (o.value)}
				<li>
					<button
						type="button"
						class="rounded-base hover:bg-wash flex min-h-7 w-full items-center justify-between gap-3 px-2 text-left {has(
							o.value,
						)
							? 'text-act font-semibold'
							: ''}"
						aria-pressed={has(o.value)}
						data-value={o.value}
						onclick={() => toggle(o.value)}
						><span class="min-w-0 truncate">{o.value}</span><small class="text-ink-3 shrink-0 tabular-nums"
							>{o.count === undefined ? '' : countText(o.count)}</small
						></button
					>
				</li>
			{/each}
		</ul>
	{/if}
{/if}
{#if operator.folds}
	<p class="muted text-xs">{phrase.ignore_case ? 'Upper and lower case are the same.' : ''}</p>
{/if}
