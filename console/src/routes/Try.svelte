<script lang="ts">
	// The draft of a report as its readers will see it.
	import { link } from 'svelte-spa-router';
	import { pushDefinitions, messageOf, showDraft, type Inputs, type Summary } from '../lib/api';
	import { add, type Value } from '../draft/definition';
	import { draftAddress } from '../lib/link';
	import Report from './Report.svelte';

	let { params }: { params: { name: string } } = $props();

	let last = $state.raw<{ inputs: Inputs; summary: Summary; today: string }>();
	let said = $state('');

	/** Keeps the last run as an example of the report: its answers, its day and what it found. */
	async function keep() {
		if (!last) return;
		const ask = Object.fromEntries(
			Object.entries(last.inputs).map(([name, v]): [string, Value] => {
				if (Array.isArray(v)) return [name, v.length === 1 ? v[0]! : v];
				if (typeof v === 'string') return [name, v];
				return [name, { ...(v.start ? { start: v.start } : {}), ...(v.end ? { end: v.end } : {}) }];
			}),
		);
		const { count, first, last: latest } = last.summary;
		const expect: Value = { rows: String(count) };
		if (first && latest) Object.assign(expect, { first: first.slice(0, 10), last: latest.slice(0, 10) });
		try {
			const kept = await showDraft('report', params.name);
			const text = add(kept.content, ['examples'], { ask, as_of: last.today, expect });
			await pushDefinitions(text, { [`report ${params.name}`]: kept.revision ?? 0 });
			said = 'Kept as an example in the draft.';
		} catch (e) {
			said = messageOf(e);
		}
	}
</script>

<div class="flex h-full flex-col">
	<div class="bg-wash flex flex-wrap items-center gap-3 px-4 py-1.5 text-sm">
		<span><strong>Draft</strong> of {params.name}: this is what its readers would see.</span>
		<a href={draftAddress('report', params.name)} use:link>Back to the draft</a>
		<button type="button" class="button" disabled={!last} onclick={keep}>Keep as an example</button>
		<span role="status">{said}</span>
	</div>
	<div class="min-h-0 grow lg:overflow-auto">
		<Report
			{params}
			draft
			onran={(inputs, summary, today) => {
				last = { inputs, summary, today };
				said = '';
			}}
		/>
	</div>
</div>
