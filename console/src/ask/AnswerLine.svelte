<script lang="ts">
	// The questions folded to a line of answers, each of which opens its fields beneath.
	import { tick, type Snippet } from 'svelte';
	import type { Target } from '../lib/api';
	import Slot from '../parts/Slot.svelte';
	import { isOpen, type Form } from './form.svelte';
	import Question from './Question.svelte';
	import ReadBack from './ReadBack.svelte';
	import Unread from './Unread.svelte';

	let {
		target,
		form,
		today,
		opened = $bindable(''),
		onsubmit,
		side,
	}: {
		target: Target;
		form: Form;
		/** The day it is in the zone of the report. */
		today: string;
		/** The question whose fields are open, blank for none. */
		opened?: string;
		onsubmit: (event: Event) => void;
		/** What stands at the right of the answers. */
		side: Snippet;
	} = $props();

	async function open(question: string) {
		opened = opened === question ? '' : question;
		await tick();
		if (opened) document.querySelector<HTMLElement>('#opened :is(input, select)')?.focus();
	}
</script>

<form class="panel flex min-h-13.5 shrink-0 flex-wrap items-center gap-2.5 px-3.5 py-2.5" {onsubmit} novalidate>
	{#each form.read.value || form.read.failure ? form.questions.filter(isOpen) : [] as question (question.name)}
		{@const slot = form.slotOf(question)}
		<span class="flex max-w-full items-center gap-2">
			{#if !slot.any}<span class="muted max-w-40 truncate text-sm">{question.label.replace(/\?$/, '')}</span>{/if}
			<Slot
				name={question.name}
				label={question.label}
				{...slot}
				open={opened === question.name}
				wrong={form.problemsOf(question).length > 0}
				onclick={() => open(question.name)}
			/>
		</span>
	{/each}
	<span class="ml-auto flex items-center gap-2">{@render side()}</span>
	{#each form.questions.filter((q) => q.name === opened) as question (question.name)}
		<div id="opened" class="border-line w-full max-w-full space-y-3 border-t pt-3">
			<div class="max-w-2xl"><Question {target} {form} {question} {today} /></div>
			<ReadBack {form} class="max-w-2xl px-3 py-2 text-sm" />
		</div>
	{/each}
	{#if !opened && form.inTheWay}<div class="w-full"><ReadBack {form} class="px-3 py-2 text-sm" /></div>{/if}
	<Unread {form} />
</form>
