<script lang="ts" module>
	import type { ConditionCounts, Phrase, Problem } from '../lib/api';

	/** What the conditions of a sentence share: which panel is open, and what is dragged. */
	export class Pointing {
		opened = $state('');
		dragged = $state.raw<number[]>();
	}
</script>

<script lang="ts">
	// One condition of the sentence, or a group of them: every part of it is a control.
	import { countText } from '../lib/text';
	import { lowered, valueWords, type Building } from './building';
	import Choice from './Choice.svelte';
	import First from './First.svelte';
	import Self from './Condition.svelte';
	import Panel from './Panel.svelte';
	import * as change from './tree';
	import type { Place } from './tree';
	import ValueFields from './ValueFields.svelte';

	let {
		tree,
		place,
		word,
		building,
		pointing,
		counts,
		problems,
		onadd,
	}: {
		tree: Phrase;
		place: Place;
		/** What joins it to the one before. */
		word: string;
		building: Building;
		pointing: Pointing;
		counts: ConditionCounts | undefined;
		problems: Problem[];
		/** Opens the choice of a column for a condition that comes into a group. */
		onadd: (group: Place) => void;
	} = $props();

	const phrase = $derived(change.at(tree, place) ?? ({ kind: 'text' } as Phrase));
	const key = $derived(place.join('.'));
	const operators = $derived(building.operatorsOf(phrase.subject?.type));
	const operator = $derived(
		operators.find((o) => o.comparison === phrase.comparison) ??
			building.operatorsOf(undefined).find((o) => o.comparison === phrase.comparison),
	);
	const count = $derived(counts?.conditions?.find((c) => c.id === phrase.id));
	const set = (p: Phrase) => building.change(change.replace(tree, place, p));
	const toggle = (what: string) => {
		const to = `${key}:${what}`;
		pointing.opened = pointing.opened === to ? '' : to;
	};
	const close = () => (pointing.opened = '');
	const back = () => {
		pointing.opened = '';
		building.back();
	};
	const subjectText = $derived(lowered(phrase.subject?.label || phrase.subject?.text || ''));
	const values = $derived((phrase.values ?? []).map((v) => valueWords(v, building.questions)));
	const valueText = $derived.by(() => {
		if (!values.length) return '…';
		if (operator?.takes === 'two') return values.join(' and ');
		if (values.length > 3) return `${values.slice(0, 2).join(', ')} or ${values.length - 2} more`;
		return values.length === 1 ? values[0]! : values.slice(0, -1).join(', ') + ' or ' + values.at(-1);
	});
	const asked = $derived(phrase.values?.some((v) => v.from === 'asked') ?? false);
	const incomplete = $derived(!change.isGroup(phrase) && !change.isWhole(phrase, operators));
	const own = $derived(
		problems.filter((p) => {
			const inside = (q: Phrase) =>
				p.offset >= (q.offset ?? 0) && p.offset < (q.offset ?? 0) + Math.max(q.length ?? 0, 1);
			return phrase.id && inside(phrase) && !(phrase.parts ?? []).some(inside);
		}),
	);
	const removable = ['redundant', 'always_true', 'never_true', 'repeated'];
	function act(made: { tree: Phrase; place: Place }) {
		close();
		building.change(made.tree);
	}
	function moveKey(event: KeyboardEvent) {
		if (event.key !== 'ArrowUp' && event.key !== 'ArrowDown') return;
		event.preventDefault();
		const made = change.step(tree, place, event.key === 'ArrowUp' ? -1 : 1);
		act(made);
		requestAnimationFrame(() => document.querySelector<HTMLElement>(`[data-move="${made.place.join('.')}"]`)?.focus());
	}
	function drop(event: DragEvent) {
		event.preventDefault();
		event.stopPropagation();
		const from = pointing.dragged;
		pointing.dragged = undefined;
		if (from) act(change.move(tree, from, place.slice(0, -1), place.at(-1)!));
	}
	const fresh = (): Phrase => ({ ...phrase, id: undefined, values: [] });
	function alternative() {
		const made = change.alternative(tree, place, fresh());
		building.change(made.tree);
		pointing.opened = `${made.place.join('.')}:value`;
	}
	const joinWords = $derived(
		phrase.kind === 'related'
			? `there are ${phrase.text}`
			: phrase.kind === 'any'
				? phrase.not
					? 'none of'
					: 'any of'
				: phrase.not
					? 'not all of'
					: 'all of',
	);
</script>

{#snippet more()}
	<span class="relative">
		<button
			type="button"
			class="text-ink-3 hover:text-ink min-h-6 min-w-6 text-sm leading-none"
			aria-label="More to do with this condition"
			aria-expanded={pointing.opened === key + ':more'}
			onclick={() => toggle('more')}>⋯</button
		>
		{#if pointing.opened === key + ':more'}
			<Panel label="This condition" onclose={close} onback={back}>
				<div class="-m-1 flex flex-col items-stretch">
					{#if phrase.kind === 'first'}
						<!-- It is of what all others leave. -->
					{:else if !change.isGroup(phrase)}
						<button type="button" class="button-quiet justify-start" onclick={alternative}
							>Or another condition …</button
						>
					{:else if phrase.kind !== 'related'}
						<button
							type="button"
							class="button-quiet justify-start"
							onclick={() => act({ tree: change.ungroup(tree, place), place })}>Ungroup</button
						>
					{/if}
					<button type="button" class="button-quiet justify-start" onclick={() => act(change.step(tree, place, -1))}
						>Move up</button
					>
					<button type="button" class="button-quiet justify-start" onclick={() => act(change.step(tree, place, 1))}
						>Move down</button
					>
					<button
						type="button"
						class="button-quiet justify-start"
						onclick={() => act({ tree: change.remove(tree, place), place })}>Remove</button
					>
				</div>
			</Panel>
		{/if}
	</span>
{/snippet}

<!-- svelte-ignore a11y_no_static_element_interactions (the handle can be moved by keys) -->
<div
	class="group/line flex flex-wrap items-center gap-x-2 sm:flex-nowrap {pointing.dragged ? 'hover:bg-wash' : ''}"
	data-condition={key}
	ondragover={(e) => pointing.dragged && e.preventDefault()}
	ondrop={drop}
>
	<button
		type="button"
		class="text-ink-3 -ml-2 min-h-6 min-w-5 cursor-grab text-xs leading-none opacity-40 group-hover/line:opacity-100 focus-visible:opacity-100"
		draggable="true"
		data-move={key}
		aria-label="Move this condition: arrow keys move it up and down"
		ondragstart={() => (pointing.dragged = place)}
		ondragend={() => (pointing.dragged = undefined)}
		onkeydown={moveKey}>⠿</button
	>
	<span class="min-w-0 grow basis-0">
		<span class="text-ink-2">{word}</span>
		{#if change.isGroup(phrase)}
			<span class="relative">
				<button
					type="button"
					class="phrase compared"
					aria-expanded={pointing.opened === key + ':join'}
					onclick={() => toggle('join')}>{joinWords}</button
				>{#if pointing.opened === key + ':join'}
					<Panel label="How they are joined" onclose={close} onback={back}>
						{#if phrase.kind === 'related'}
							<label class="block"
								>How many of which records
								<input
									class="field"
									value={phrase.text}
									onchange={(e) => set({ ...phrase, text: e.currentTarget.value.trim() })}
								/></label
							>
							<p class="muted text-xs">any passages, no passages, at least 3 passages of vessels …</p>
						{:else}
							<div class="flex flex-wrap gap-1">
								{#each [['all', false, 'all of'], ['any', false, 'any of'], ['any', true, 'none of'], ['all', true, 'not all of']] as const as [kind, not, words] (words)}
									<button
										type="button"
										class="chip"
										aria-pressed={phrase.kind === kind && !!phrase.not === not}
										onclick={() => {
											set({ ...phrase, kind, not });
											close();
										}}>{words}</button
									>
								{/each}
							</div>
						{/if}
					</Panel>
				{/if}
			</span>
		{:else if phrase.kind === 'first'}
			<First {phrase} {key} {building} {pointing} onback={back} onchange={set} />
		{:else if phrase.kind === 'says'}
			<span class="relative"
				><button
					type="button"
					class="phrase"
					data-part="subject"
					title={phrase.subject?.text}
					aria-expanded={pointing.opened === key + ':subject'}
					onclick={() => toggle('subject')}>{subjectText}</button
				>{#if pointing.opened === key + ':subject'}
					<Panel label="What something is said of" onclose={close} onback={back}>
						<Choice
							label="Column"
							options={building.subjects.map((s) => ({ value: s.text, text: s.label, note: s.text }))}
							chosen={phrase.subject?.text}
							onchoose={(text) => {
								const s = building.subjects.find((s) => s.text === text)!;
								const same = s.type === phrase.subject?.type;
								set({
									...phrase,
									subject: { text: s.text, label: s.label, type: s.type },
									comparison: same ? phrase.comparison : building.operatorsOf(s.type)[0]!.comparison,
									values: same ? phrase.values : [],
								});
								pointing.opened = same ? '' : `${key}:value`;
							}}
						/>
					</Panel>
				{/if}</span
			>
			<span class="relative"
				><button
					type="button"
					class="phrase compared"
					data-part="comparison"
					aria-expanded={pointing.opened === key + ':comparison'}
					onclick={() => toggle('comparison')}>{operator?.words ?? phrase.comparison}</button
				>{#if pointing.opened === key + ':comparison'}
					<Panel label="What is said" onclose={close} onback={back}>
						<Choice
							label="Comparison"
							options={operators.map((o) => ({ value: o.comparison, text: o.words }))}
							chosen={phrase.comparison}
							onchoose={(comparison) => {
								const to = operators.find((o) => o.comparison === comparison)!;
								set({ ...phrase, comparison, values: change.fitted(phrase.values ?? [], to.takes) });
								pointing.opened = to.takes === 'none' || phrase.values?.length ? '' : `${key}:value`;
							}}
						/>
						{#if operator?.folds}
							<label class="flex items-center gap-2"
								><input
									type="checkbox"
									checked={phrase.ignore_case}
									onchange={(e) => set({ ...phrase, ignore_case: e.currentTarget.checked || undefined })}
								/> Upper and lower case are the same</label
							>
						{/if}
					</Panel>
				{/if}</span
			>
			{#if operator && operator.takes !== 'none'}
				<span class="relative"
					><button
						type="button"
						class="phrase {asked ? 'asked' : ''}"
						data-part="value"
						aria-expanded={pointing.opened === key + ':value'}
						onclick={() => toggle('value')}>{valueText}</button
					>{#if pointing.opened === key + ':value'}
						<Panel label="What it is compared with" onclose={close} onback={back}>
							<ValueFields
								{phrase}
								{operator}
								{building}
								onchange={(values) => set({ ...phrase, values })}
								onchosen={close}
							/>
						</Panel>
					{/if}</span
				>
			{/if}
		{:else}
			<span class="relative"
				><button
					type="button"
					class="phrase {phrase.kind === 'text' ? 'font-mono text-[15px]' : ''}"
					data-part="text"
					aria-expanded={pointing.opened === key + ':text'}
					onclick={() => toggle('text')}
					>{phrase.kind === 'meets' ? phrase.words || `meets ${phrase.text}` : phrase.text || '…'}</button
				>{#if pointing.opened === key + ':text'}
					<Panel label="This condition as text" onclose={close} onback={back}>
						{#if phrase.kind === 'meets'}<p>The shared condition {phrase.text}.</p>
						{:else}
							<textarea
								class="field h-24 py-1.5 font-mono text-[13px]"
								aria-label="The condition"
								value={phrase.text}
								onchange={(e) => set({ ...phrase, text: e.currentTarget.value.trim() })}></textarea>
							<p class="muted text-xs">In the language of criteria: toll_pence / 100 &gt; 5.</p>
						{/if}
					</Panel>
				{/if}</span
			>
		{/if}
		{@render more()}
	</span>
	<span
		class="text-ink-3 shrink-0 text-xs leading-tight tabular-nums max-sm:w-full max-sm:pl-6 sm:text-right"
		data-counts
	>
		{#if counts?.many}–
		{:else if count && (count.open || count.alone !== undefined)}
			{count.open ? 'any' : countText(count.alone!)}{place.length === 1 && !count.open ? ' alone' : ''}
			{#if count.left !== undefined}<span class="sm:block">{countText(count.left)} remain</span>{/if}
		{/if}
	</span>
</div>
{#if incomplete && !pointing.opened.startsWith(key + ':')}
	<p class="text-warn text-sm leading-normal">Not complete yet: it is left out until it is.</p>
{/if}
{#each own as p, i (i)}
	<p
		class="{p.severity === 'warning'
			? 'wash-warn'
			: 'wash-bad'} my-1 flex flex-wrap items-center gap-x-3 text-sm leading-normal"
		data-note={p.code}
	>
		<span class="min-w-0 grow basis-60">{p.message} {removable.includes(p.code) ? '' : (p.hint ?? '')}</span>
		{#if removable.includes(p.code)}
			<button type="button" class="underline" onclick={() => act({ tree: change.remove(tree, place), place })}
				>Remove</button
			>
		{/if}
	</p>
{/each}
{#if change.isGroup(phrase)}
	<div class="border-line-strong ml-1.5 border-l-3 pl-4">
		{#each phrase.parts ?? [], i}
			<Self
				{tree}
				place={[...place, i]}
				word={i === 0 ? (phrase.kind === 'related' ? 'where' : '') : phrase.kind === 'any' ? 'or' : 'and'}
				{building}
				{pointing}
				{counts}
				{problems}
				{onadd}
			/>
		{/each}
		<button type="button" class="text-act text-sm font-semibold" onclick={() => onadd(place)}>+ condition</button>
	</div>
{/if}
