<script lang="ts">
	// Every part of the look, in the states it has.
	import { Loaded } from '../lib/loaded.svelte';
	import { turnTheme } from '../lib/theme.svelte';
	import Bar from './Bar.svelte';
	import Dialog from './Dialog.svelte';
	import Empty from './Empty.svelte';
	import Facts from './Facts.svelte';
	import PageHead from './PageHead.svelte';
	import Pending from './Pending.svelte';
	import Problems from './Problems.svelte';
	import Slot from './Slot.svelte';

	const loading = new Loaded<string>();
	const failed = new Loaded<string>();
	failed.failure = 'The service does not answer. Is it running?';
	let dialog = $state<'' | 'middle' | 'side'>('');
	const nothing = () => {};
	const long = 'A label of eighty characters, which is as long as labels get before they are too long';
	const tokens = ['paper', 'sheet', 'line', 'line-strong', 'edge', 'wash', 'ink', 'ink-2', 'ink-3'].concat([
		'beam',
		'tip',
		'act',
		'act-ink',
		'act-wash',
		'warn',
		'warn-wash',
		'bad',
		'bad-wash',
	]);
</script>

<Bar onfind={nothing} onhelp={nothing} />
<main class="mx-auto max-w-[1080px] space-y-6 p-5">
	<PageHead title="Parts" about="Every part of the look, in the states it has">
		<button type="button" class="button" onclick={turnTheme}>The other theme</button>
	</PageHead>
	<ul class="grid grid-cols-3 gap-2 sm:grid-cols-6">
		{#each tokens as token (token)}
			<li class="text-xs">
				<div class="border-line rounded-base h-8 border" style:background="var(--{token})"></div>
				{token}
			</li>
		{/each}
	</ul>
	<p class="flex flex-wrap gap-2">
		<button type="button" class="button-act">Acts</button>
		<button type="button" class="button">Plain</button>
		<button type="button" class="button-quiet">Quiet</button>
		<button type="button" class="button" disabled>Disabled</button>
		<span class="chip">a chip</span>
		<span class="chip on">chosen ×</span>
		<span class="chip border-dashed">none of it <span class="text-ink-3">0</span></span>
	</p>
	<div class="panel flex flex-wrap items-center gap-2.5 px-3.5 py-2.5">
		<Slot name="a" label="Period" value="1 – 31 Mar 2025" note="31 days" onclick={nothing} />
		<Slot name="b" label="Region" value="any region" any onclick={nothing} />
		<Slot name="c" label="Lock" value="Harrow Top" open onclick={nothing} />
		<Slot name="d" label="Toll" value="many" wrong onclick={nothing} />
		<Slot name="e" label={long} value={long} onclick={nothing} />
	</div>
	<Facts
		facts={[
			{ label: 'Records', value: '2,446', main: true },
			{ label: 'First', value: '1 Mar, 06:11:40', note: '14 on that day' },
			{ label: 'Nearest before', value: '28 Feb, 20:55:45', note: 'outside the period', outside: true },
			{ label: 'Sum of toll', value: '4,489.35' },
		]}
	/>
	<div class="grid max-w-md gap-2">
		<input class="field" aria-label="A field" placeholder="YYYY-MM-DD" />
		<input class="field" aria-label="A field with a problem" aria-invalid="true" value="03/05/2025" />
		<Problems
			id="p"
			problems={[{ code: 'x', message: 'Which day is meant?', fixes: [{ label: 'Sat 3 May', text: '' }] } as never]}
			onfix={nothing}
		/>
	</div>
	<p class="wash-warn">A warning, in words.</p>
	<Pending of={loading} lines={3} />
	<Pending of={failed} />
	<Empty>No report is published yet.</Empty>
	<p class="flex gap-2">
		<button type="button" class="button" onclick={() => (dialog = 'middle')}>A dialog</button>
		<button type="button" class="button" onclick={() => (dialog = 'side')}>A drawer</button>
	</p>
	{#if dialog}<Dialog title="A dialog" side={dialog === 'side'} onclose={() => (dialog = '')}>What it is about.</Dialog
		>{/if}
</main>
