<script lang="ts">
	// Has a report or an overview come by itself: made of the answers of a result, for whoever
	// asks.
	import { link } from 'svelte-spa-router';
	import {
		fullMessageOf,
		Refusal,
		type Inputs,
		type Problem,
		type Question,
		type Target,
		type ScheduleInfo,
	} from '../lib/api';
	import {
		listDestinations,
		makeSchedule,
		previewSchedule,
		runSchedule,
		type Destinations,
		type OwnSchedule,
		type ScheduleDetail,
	} from './calls';
	import { Loaded } from '../lib/loaded.svelte';
	import Dialog from '../parts/Dialog.svelte';
	import Times from './Times.svelte';
	import { ruleOf, weekdays, type Often } from './words';

	let {
		target,
		inputs,
		questions,
		onclose,
	}: { target: Target; inputs: Inputs; questions: Question[]; onclose: () => void } = $props();

	const id = $props.id();
	let often = $state<Often>('week');
	let weekday = $state('monday');
	let dayOfMonth = $state('first');
	let clock = $state('07:00');
	let words = $state('');
	const when = $derived(often === 'words' ? words : ruleOf(often, weekday, dayOfMonth, clock));

	// Periods are asked for in words: days that were chosen would be the same each time.
	const periods = $derived(questions.filter((q) => q.kind === 'period'));
	const usual = ['yesterday', 'last week', 'last month', 'this month', 'last quarter'];
	// svelte-ignore state_referenced_locally
	let set = $state<Inputs>({ ...inputs });
	const textOf = (name: string) => {
		const given = set[name];
		if (given === undefined) return '';
		if (typeof given === 'string') return given;
		return Array.isArray(given) ? given.join(', ') : [given.start, given.end].filter(Boolean).join('/');
	};

	// Of an overview there are pages alone.
	const formats = $derived(
		[
			['xlsx', 'XLSX, a workbook'],
			['pdf', 'PDF'],
			['csv', 'CSV'],
			['html', 'HTML'],
			['json', 'JSON'],
			['parquet', 'Parquet'],
		].filter(([name]) => !target.overview || name === 'pdf' || name === 'html'),
	);
	let format = $state('');
	let only = $state(false);
	let others = $state('');
	let now = $state(false);

	const places = new Loaded<Destinations>();
	$effect(() => places.ask(listDestinations));
	const address = $derived(places.value?.address ?? '');
	const mayOthers = $derived((places.value?.places ?? []).some((p) => p.may && p.place.startsWith('mail:')));

	const own = $derived<OwnSchedule>({
		...(target.overview ? { overview: target.report } : { report: target.report }),
		set,
		when,
		...(only ? { only: 'count >= 1' } : {}),
		...(format ? { format: format as OwnSchedule['format'] } : {}),
		...(others.trim()
			? { to: [address, ...others.split(/[\s,;]+/)].filter((a, i, all) => a && all.indexOf(a) === i) }
			: {}),
	});

	let preview = $state.raw<ScheduleDetail>();
	let problems = $state.raw<Problem[]>([]);
	let failure = $state('');
	$effect(() => {
		const asked = own;
		if (!places.value) return;
		const abort = new AbortController();
		const timer = setTimeout(async () => {
			try {
				preview = await previewSchedule(asked, abort.signal);
				problems = [];
				failure = '';
			} catch (e) {
				if (abort.signal.aborted) return;
				preview = undefined;
				problems = e instanceof Refusal ? e.problems : [];
				failure = problems.length ? '' : fullMessageOf(e);
			}
		}, 250);
		return () => {
			clearTimeout(timer);
			abort.abort();
		};
	});
	const of = (field: string) => problems.filter((p) => p.field === field || p.field?.startsWith(field + '.'));
	const known = $derived(['when', 'to', ...periods.map((q) => 'set.' + q.name)]);
	const elsewhere = $derived(
		problems.filter((p) => !known.some((field) => p.field === field || p.field?.startsWith(field + '.'))),
	);
	/** Periods that mean the same days each time. */
	const fixed = $derived.by(() => {
		const times = preview?.times ?? [];
		if (times.length < 2) return [];
		return periods.filter((q) => {
			const meant = times.map((t) => t.answers?.find((a) => a.name === q.name)?.readback ?? '');
			return meant[0] && meant.every((m) => m === meant[0]);
		});
	});

	let made = $state.raw<ScheduleInfo>();
	let saving = $state(false);
	async function save() {
		saving = true;
		failure = '';
		try {
			const kept = await makeSchedule(own);
			if (now) await runSchedule(kept.name);
			made = kept;
		} catch (e) {
			problems = e instanceof Refusal ? e.problems : [];
			failure = fullMessageOf(e);
		}
		saving = false;
	}
</script>

{#snippet wrong(field: string)}
	{#each of(field) as p, i (i)}<p class="text-bad text-[13px]" data-problem={p.code}>
			{p.message}
			{p.hint ?? ''}
		</p>{/each}
{/snippet}

<Dialog title="Send me this …" width="46rem" {onclose}>
	{#if made}
		<p role="status">
			<strong>{made.title}</strong> comes {made.when}{address ? ` to ${address}` : ''}.{now
				? ' One is on its way now.'
				: ''}
		</p>
		<p class="text-sm"><a href="/schedules/{encodeURIComponent(made.name)}" use:link>See the schedule</a></p>
	{:else}
		<div class="grid gap-5 sm:grid-cols-[minmax(0,1fr)_15rem]">
			<div class="space-y-4">
				<fieldset class="space-y-1.5">
					<legend class="font-semibold">When</legend>
					<div class="flex flex-wrap items-end gap-2">
						<label class="text-[13px]"
							>How often
							<select class="field" bind:value={often} name="often">
								<option value="day">Every day</option>
								<option value="working day">Every working day</option>
								<option value="week">Every week</option>
								<option value="month">Every month</option>
								<option value="first working day">First working day of the month</option>
								<option value="words">In words</option>
							</select>
						</label>
						{#if often === 'week'}<label class="text-[13px]"
								>On
								<select class="field capitalize" bind:value={weekday} name="weekday">
									{#each weekdays as d (d)}<option value={d}>{d}</option>{/each}
								</select></label
							>{/if}
						{#if often === 'month'}<label class="text-[13px]"
								>On the
								<select class="field" bind:value={dayOfMonth} name="day">
									<option value="first">first day</option>
									<option value="last">last day</option>
								</select></label
							>{/if}
						{#if often !== 'words'}<label class="text-[13px]"
								>At <input type="time" class="field w-28" bind:value={clock} name="clock" /></label
							>
						{:else}<label class="grow text-[13px]"
								>When
								<input
									class="field"
									bind:value={words}
									name="when"
									placeholder="on the last friday of every quarter at 09:00"
									aria-invalid={of('when').length > 0}
								/></label
							>{/if}
					</div>
					{@render wrong('when')}
				</fieldset>
				{#each periods as q (q.name)}
					<div class="space-y-1.5">
						<label class="block"
							><span class="font-semibold">{q.label}</span>
							<input
								class="field"
								value={textOf(q.name)}
								name="set-{q.name}"
								aria-invalid={of('set.' + q.name).length > 0}
								oninput={(e) => (set = { ...set, [q.name]: e.currentTarget.value })}
							/></label
						>
						<div class="flex flex-wrap gap-1.5">
							{#each usual as text (text)}<button
									type="button"
									class="chip"
									aria-pressed={textOf(q.name) === text}
									onclick={() => (set = { ...set, [q.name]: text })}>{text}</button
								>{/each}
						</div>
						{@render wrong('set.' + q.name)}
						{#if fixed.includes(q)}<p class="text-warn text-[13px]" data-fixed>
								These are the same days each time. Words such as “last week” are read anew.
							</p>{/if}
					</div>
				{/each}
				<div class="flex flex-wrap items-end gap-x-4 gap-y-2">
					<label class="text-[13px]"
						>With a file
						<select class="field" bind:value={format} name="format">
							<option value="">None: the figures alone</option>
							{#each formats as [name, words] (name)}<option value={name}>{words}</option>{/each}
						</select></label
					>
					{#if !target.overview}<label class="flex min-h-9 items-center gap-1.5 text-sm"
							><input type="checkbox" bind:checked={only} name="only" /> Only if there are records</label
						>{/if}
				</div>
				<div class="space-y-1.5">
					<p class="text-sm">
						<span class="font-semibold">To</span>
						{#if address}{address}{:else if places.value}<span class="muted">no address of yours is known</span>{/if}
					</p>
					{#if mayOthers}<label class="block text-[13px]" for="{id}-others"
							>And to <input
								id="{id}-others"
								class="field"
								bind:value={others}
								name="others"
								placeholder="office@navigation.example"
								aria-invalid={of('to').length > 0}
							/></label
						>{/if}
					{@render wrong('to')}
				</div>
				{#each elsewhere as p, i (i)}<p class="text-bad text-sm" data-problem={p.code}>
						{p.message}
						{p.hint ?? ''}
					</p>{/each}
				{#if failure}<p role="alert" class="wash-bad text-sm">{failure}</p>{/if}
			</div>
			<aside class="bg-wash rounded-base space-y-2 p-3" aria-label="The next times">
				<h3 class="pane-head">The next times</h3>
				<div aria-live="polite">
					{#if preview}<Times times={(preview.times ?? []).slice(0, 3)} ended={preview.ended} />
					{:else}<p class="muted text-[13px]">They appear here.</p>{/if}
				</div>
			</aside>
		</div>
		<div class="flex flex-wrap items-center justify-end gap-3">
			<label class="mr-auto flex min-h-9 items-center gap-1.5 text-sm"
				><input type="checkbox" bind:checked={now} name="now" /> Send one now as well, to see it</label
			>
			<button type="button" class="button-act" disabled={!preview || saving} onclick={save} data-save>Send it</button>
		</div>
	{/if}
</Dialog>
