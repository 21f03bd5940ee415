<script lang="ts">
	// A text that is completed and checked while it is typed.
	import { untrack } from 'svelte';
	import type { Word } from '../lib/api';
	import type { Mark } from './definition';
	import { open, type Mode } from './editing';

	let {
		text,
		mode,
		label,
		marks = [],
		words = [],
		fields = [],
		place = 0,
		onchange,
	}: {
		text: string;
		mode: Mode;
		label: string;
		marks?: Mark[];
		words?: Word[];
		fields?: { name: string; about: string }[];
		/** Where the cursor is wanted; changes move it. Counted from 1, 0 for nowhere. */
		place?: number;
		onchange: (text: string) => void;
	} = $props();

	let element: HTMLDivElement;
	let editor = $state.raw<ReturnType<typeof open>>();
	$effect(() => {
		const made = untrack(() =>
			open(element, text, { mode, label, words: () => words, fields: () => fields, changed: (t) => onchange(t) }),
		);
		editor = made;
		return () => made.close();
	});
	$effect(() => editor?.show(text));
	$effect(() => editor?.mark(marks));
	$effect(() => {
		if (place > 0) editor?.go(place - 1);
	});
</script>

<div bind:this={element} class="editor h-full min-h-0 overflow-hidden" data-editor={mode}></div>

<style>
	.editor {
		--ink-value: light-dark(#8a3b12, #f0b48a);
		--line-here: light-dark(#0f5c6b0d, #ffffff0d);
	}
</style>
