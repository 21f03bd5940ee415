<script lang="ts">
	// One question with its fields, what is wrong with its answer, and what an
	// answer must keep to.
	import type { Question, Target, Unit } from '../lib/api';
	import Problems from '../parts/Problems.svelte';
	import CoverageStrip from './CoverageStrip.svelte';
	import DateField from './DateField.svelte';
	import { isOpen, limitsOf, type Form } from './form.svelte';
	import PeriodField from './PeriodField.svelte';
	import TextField from './TextField.svelte';

	let { target, form, question, today }: { target: Target; form: Form; question: Question; today: string } = $props();
	const calendar = $derived(form.report.value?.calendar);

	const reading = $derived(form.readingOf(question));
	const problems = $derived(form.problemsOf(question));
	let held = $state.raw<Unit[]>();
	const day = (text?: string) => (/^\d{4}-\d\d-\d\d$/.test(text ?? '') ? text : undefined);
	const said = $derived(
		isOpen(question)
			? [question.help, limitsOf(question), question.include_blanks ? 'Blanks are always included.' : '']
					.filter(Boolean)
					.join(' ')
			: (question.help ?? ''),
	);
</script>

<section aria-labelledby="label-{question.name}" class="space-y-1.5">
	<h2 id="label-{question.name}" class="flex flex-wrap items-baseline gap-x-2 font-semibold wrap-anywhere">
		{question.label}
		<small class="text-ink-3 text-[13px] font-normal">{form.standing(question)}</small>
	</h2>
	{#if said}<p class="muted text-[13px]">{said}</p>{/if}
	{#if !isOpen(question)}
		<p class="bg-wash rounded-base px-2.5 py-1.5">{reading?.readback ?? question.default_readback ?? ''}</p>
	{:else if question.kind === 'period'}
		<PeriodField
			{target}
			{question}
			inputs={form.inputs}
			bind:value={form.periods[question.name]!}
			answer={reading}
			{problems}
			{today}
			{held}
			{calendar}
		/>
		{#if !question.limits.whole}
			<CoverageStrip
				{target}
				question={question.name}
				inputs={form.inputs}
				from={reading?.from ?? day(form.periods[question.name]?.start)}
				through={reading?.through ?? day(form.periods[question.name]?.end)}
				bind:held
				onchoose={(start, end) => (form.periods[question.name] = { start, end, words: '' })}
			/>
		{/if}
	{:else if question.kind === 'date' && !question.many}
		<DateField
			id="q-{question.name}"
			label={question.label}
			quiet
			bind:value={
				() => form.texts[question.name]?.[0] ?? '', (text) => (form.texts[question.name] = text ? [text] : [])
			}
			read={reading?.canonical?.[0]}
			earliest={question.earliest}
			latest={question.latest}
			{today}
			{calendar}
			problem={problems.length > 0}
		/>
		<Problems id="q-{question.name}-problems" {problems} onfix={(fix) => (form.texts[question.name] = [fix.text])} />
	{:else}
		<TextField {target} {question} inputs={form.inputs} bind:value={form.texts[question.name]!} {problems} />
	{/if}
	{#if isOpen(question) && question.default?.length && form.typed(question) === undefined}
		{@const none = form.nones[question.name]}
		<button
			type="button"
			class="text-act min-h-6 text-[13px] underline"
			data-none={none ? 'yes' : 'no'}
			onclick={() => (form.nones[question.name] = !none)}
			>{none ? `Use ${question.default.join(', ')}` : 'Answer nothing instead'}</button
		>
	{/if}
</section>
