<script lang="ts">
	// Answers that are saved under a name: chosen, saved and removed.
	import { account } from '../lib/account.svelte';
	import {
		messageOf,
		Refusal,
		removeAnswers,
		saveAnswers,
		type Inputs,
		type SavedAnswers,
		type Target,
	} from '../lib/api';
	import Dialog from '../parts/Dialog.svelte';

	let {
		target,
		folder = '',
		list,
		inputs,
		up = false,
		onchoose,
		onchange,
	}: {
		target: Target;
		folder?: string;
		list: SavedAnswers[];
		inputs: Inputs;
		/** Whether the list opens upwards. */
		up?: boolean;
		onchoose: (answers: SavedAnswers) => void;
		/** Something was saved or removed. */
		onchange: () => void;
	} = $props();

	let open = $state(false);
	let saving = $state(false);
	let form = $state({ name: '', shared: false, begins: false });
	let failure = $state('');
	let box = $state<HTMLDivElement>();
	const own = $derived(list.filter((a) => !a.shared));
	const shared = $derived(list.filter((a) => a.shared));
	const mayShare = $derived(account.may('manage', folder));

	async function attempt(what: () => Promise<unknown>) {
		failure = '';
		try {
			await what();
			onchange();
			saving = false;
		} catch (e) {
			failure = e instanceof Refusal ? e.problems.map((p) => `${p.message} ${p.hint ?? ''}`).join(' ') : messageOf(e);
		}
	}
	function save(event: Event) {
		event.preventDefault();
		attempt(() => saveAnswers(target, { ...form, inputs: inputs as SavedAnswers['inputs'] }));
	}
	function key(event: KeyboardEvent) {
		if (event.key !== 'Escape' || !open) return;
		open = false;
		box?.querySelector('button')?.focus();
	}
</script>

<svelte:document onpointerdown={(e) => !box?.contains(e.target as Node) && (open = false)} />

{#snippet group(label: string, all: SavedAnswers[], may: boolean)}
	{#if all.length}
		<p class="text-ink-3 px-2.5 pt-1 text-xs">{label}</p>
		{#each all as a (a.name)}
			<div class="flex items-center gap-1">
				<button
					type="button"
					class="rounded-base hover:bg-wash min-h-9 grow px-2.5 py-1.5 text-left"
					data-saved={a.name}
					onclick={() => {
						open = false;
						onchoose(a);
					}}
					>{a.name}
					{#if a.begins}<span class="text-ink-3 text-xs">begins with these</span>{/if}</button
				>
				{#if may}<button
						type="button"
						class="text-ink-3 hover:bg-wash rounded-base min-h-9 min-w-9"
						aria-label="Remove {a.name}"
						onclick={() => attempt(() => removeAnswers(target, a))}>×</button
					>{/if}
			</div>
		{/each}
	{/if}
{/snippet}

<!-- svelte-ignore a11y_no_static_element_interactions -->
<div class="relative" bind:this={box} onkeydown={key}>
	<button type="button" class="button" aria-expanded={open} onclick={() => (open = !open)}>Saved answers</button>
	{#if open}
		<div class="panel absolute right-0 z-30 w-60 p-1.5 shadow-lg sm:w-72 {up ? 'bottom-full mb-1' : 'top-full mt-1'}">
			{@render group('Yours', own, true)}
			{@render group('For all readers', shared, mayShare)}
			{#if list.length === 0}<p class="muted px-2.5 py-1.5 text-sm">None yet.</p>{/if}
			<div class="border-line mt-1 border-t pt-1">
				<button
					type="button"
					class="rounded-base hover:bg-wash min-h-9 w-full px-2.5 py-1.5 text-left"
					onclick={() => {
						open = false;
						failure = '';
						form = { name: '', shared: false, begins: false };
						saving = true;
					}}>Save these answers …</button
				>
			</div>
			{#if failure && !saving}<p role="alert" class="text-bad px-2.5 py-1 text-[13px]">{failure}</p>{/if}
		</div>
	{/if}
</div>
{#if saving}
	<Dialog title="Save these answers" width="30rem" onclose={() => (saving = false)}>
		<form class="space-y-3" onsubmit={save}>
			<p class="muted text-sm">
				They are kept as you typed them: words such as <i>last month</i> are read anew each time.
			</p>
			<label class="block text-sm"
				>Name <input class="field" name="answers-name" required maxlength="100" bind:value={form.name} /></label
			>
			{#if mayShare && account.me?.state === 'closed'}<label class="flex items-center gap-2 text-sm"
					><input type="checkbox" name="answers-shared" bind:checked={form.shared} />For all readers</label
				>{/if}
			<label class="flex items-center gap-2 text-sm"
				><input type="checkbox" name="answers-begins" bind:checked={form.begins} />The page begins with them</label
			>
			{#if failure}<p role="alert" class="wash-bad text-sm">{failure}</p>{/if}
			<button type="submit" class="button-act">Save</button>
		</form>
	</Dialog>
{/if}
