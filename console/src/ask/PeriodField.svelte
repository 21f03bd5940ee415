<script lang="ts">
	import {
		coverReport,
		type Answer,
		type Coverage,
		type Fix,
		type Inputs,
		type Problem,
		type Question,
		type Target,
		type Unit,
	} from '../lib/api';
	import DateField from './DateField.svelte';
	import type { PeriodText } from './period';
	import { Loaded } from '../lib/loaded.svelte';
	import Problems from '../parts/Problems.svelte';
	import { countText } from '../lib/text';
	import WholeUnits from './WholeUnits.svelte';

	let {
		target,
		question,
		inputs,
		value = $bindable(),
		answer,
		problems,
		today,
		held,
		calendar,
	}: {
		target: Target;
		question: Question;
		inputs: Inputs;
		value: PeriodText;
		answer?: Answer;
		problems: Problem[];
		today: string;
		/** The units of time that hold records, where that is known. */
		held?: Unit[];
		/** The calendar that says which days are worked. */
		calendar?: string;
	} = $props();

	const at = (part: string) => problems.filter((p) => p.field === question.name + (part && '.' + part));
	const id = $derived('q-' + question.name);

	/** Takes a whole period: into the two date fields where it is two days. */
	function take(text: string) {
		const ends = /^(\d{4}-\d\d-\d\d)(?:\/(\d{4}-\d\d-\d\d))?$/.exec(text);
		if (ends) value = { start: ends[1]!, end: ends[2] ?? ends[1]!, words: '' };
		else value = { start: '', end: '', words: text };
	}
	function fix(fix: Fix, problem: Problem) {
		const part = problem.field?.split('.')[1];
		if (!fix.field && part === 'start') value.start = fix.text;
		else if (!fix.field && part === 'end') value.end = fix.text;
		else take(fix.text);
	}
	// Typing a date takes the place of words, and the other way round.
	function typed(part: 'start' | 'end', text: string) {
		value[part] = text;
		if (text) value.words = '';
	}
	function worded(text: string) {
		value.words = text;
		if (text) value.start = value.end = '';
	}
	// Where only whole units are taken, those that hold records are offered.
	const unitsOf = new Loaded<Coverage>(); // an answer that cannot be read has its problem beside its field
	const units = $derived(unitsOf.value?.question === question.name ? (unitsOf.value.units ?? []) : []);
	$effect(() => {
		const whole = question.limits.whole;
		if (whole) return unitsOf.ask((signal) => coverReport(target, whole, inputs, signal));
	});
	/** The last day of the last unit that holds records. */
	const likely = $derived(held?.at(-1)?.through ?? '');
	/** Whether a suggested period is known to hold no record. */
	const isEmpty = (i: number) => {
		const days = question.suggested?.[i];
		return (
			held !== undefined &&
			days !== undefined &&
			!held.some((u) => u.through >= (days.from ?? '') && u.from <= (days.through ?? '9999'))
		);
	};
	/** The latest unit that holds records, where a suggestion has none and it is not suggested itself. */
	const latest = $derived.by(() => {
		const unit = held?.at(-1);
		if (!unit || !question.quick?.some((_, i) => isEmpty(i))) return undefined;
		const there = question.suggested?.some((d) => d.from === unit.from && d.through === unit.through);
		return there ? undefined : unit;
	});
	const read = $derived(answer?.given && !value.start && !value.end ? answer : undefined);
</script>

<div class="space-y-2">
	{#if units.length}
		<WholeUnits
			{id}
			name={question.limits.whole!}
			{units}
			from={answer?.from ?? undefined}
			through={answer?.through ?? undefined}
			onchoose={take}
		/>
		<Problems id="{id}-ends-problems" problems={[...at('start'), ...at('end')]} onfix={fix} />
	{:else if !question.limits.whole || unitsOf.value || unitsOf.failure}
		<div class="grid grid-cols-1 gap-2 sm:grid-cols-2">
			<div>
				<DateField
					id="{id}-start"
					label="Start date"
					bind:value={() => value.start, (text) => typed('start', text)}
					read={read?.from}
					earliest={question.earliest}
					latest={question.latest}
					{today}
					{likely}
					{calendar}
					problem={at('start').length > 0}
				/>
				<Problems id="{id}-start-problems" problems={at('start')} onfix={fix} />
			</div>
			<div>
				<DateField
					id="{id}-end"
					label="End date"
					bind:value={() => value.end, (text) => typed('end', text)}
					read={read?.through}
					earliest={question.earliest}
					latest={question.latest}
					{today}
					{likely}
					{calendar}
					problem={at('end').length > 0}
				/>
				<Problems id="{id}-end-problems" problems={at('end')} onfix={fix} />
			</div>
		</div>
	{:else}
		<div class="h-[3.6rem]" aria-hidden="true"></div>
	{/if}
	<div>
		<label for="{id}-words" class="sr-only">Or in words</label>
		<input
			id="{id}-words"
			class="field"
			bind:value={() => value.words, worded}
			placeholder="or in words: 2025-03, last 7 days …"
			autocomplete="off"
			spellcheck="false"
			aria-invalid={at('').length > 0}
			aria-describedby="{id}-problems"
		/>
		<Problems id="{id}-problems" problems={at('')} onfix={fix} />
	</div>
	{#if question.quick?.length}
		<div class="flex flex-wrap gap-1.5">
			{#each question.quick as text, i (i)}
				<button type="button" class="chip" onclick={() => take(text)}>
					<span>{text}</span>
					{#if isEmpty(i)}<span class="text-ink-3">· no records</span>{/if}
				</button>
			{/each}
			{#if latest}
				<button type="button" class="chip" data-latest onclick={() => take(latest.period)}>
					<span>{latest.period}</span>
					<span class="text-ink-3">· {countText(latest.count)} records, the latest</span>
				</button>
			{/if}
		</div>
	{/if}
</div>
