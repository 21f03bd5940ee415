<script lang="ts">
	// Where there is anything to find: a bar for each month (or year) of the
	// report's dates, the other answers applied. A stretch is chosen by dragging,
	// or with the keyboard: arrows move one handle after the other.
	import { coverReport, type Coverage, type Inputs, type Target, type Unit } from '../lib/api';
	import { Loaded } from '../lib/loaded.svelte';
	import { keepMonths } from '../lib/months';
	import { countText } from '../lib/text';

	let {
		target,
		question,
		inputs,
		from,
		through,
		held = $bindable(),
		onchoose,
	}: {
		target: Target;
		question: string;
		inputs: Inputs;
		from?: string;
		through?: string;
		/** The units that hold records, once they are known. */
		held?: Unit[];
		onchoose: (from: string, through: string) => void;
	} = $props();

	const loaded = new Loaded<Coverage>(); // a report without dates to count has no strip
	const coverage = $derived(loaded.value?.question === question ? loaded.value : undefined);
	let dragged = $state<[number, number]>();
	let strip = $state<HTMLDivElement>();

	// The period itself narrows nothing here, so that it may be typed meanwhile.
	const others = $derived(
		JSON.stringify(Object.fromEntries(Object.entries(inputs).filter(([name]) => name !== question))),
	);
	async function cover(asked: Inputs, signal: AbortSignal): Promise<Coverage> {
		const months = await coverReport(target, 'month', asked, signal);
		if (others === '{}' && !target.draft) keepMonths(target.report, months);
		return (months.units ?? []).length > 60 ? coverReport(target, 'year', asked, signal) : months;
	}
	$effect(() => {
		const asked = JSON.parse(others) as Inputs;
		let stop = () => {};
		const timer = setTimeout(() => (stop = loaded.ask((signal) => cover(asked, signal))), 150);
		return () => {
			clearTimeout(timer);
			stop();
		};
	});
	$effect(() => {
		held = coverage && units.filter((u) => u.count > 0);
	});

	const units = $derived(coverage?.units ?? []);
	const most = $derived(Math.max(1, ...units.map((u) => u.count)));
	const chosen = $derived.by((): [number, number] | undefined => {
		if (dragged) return [Math.min(...dragged), Math.max(...dragged)];
		if (!from && !through) return undefined;
		const first = units.findIndex((u) => u.through >= (from ?? ''));
		let last = units.length - 1;
		while (last >= 0 && units[last]!.from > (through ?? '9999')) last--;
		return first < 0 || last < first ? undefined : [first, last];
	});
	const inside = (i: number) => chosen !== undefined && i >= chosen[0] && i <= chosen[1];

	const place = (event: PointerEvent) => {
		const box = strip!.getBoundingClientRect();
		return Math.max(0, Math.min(units.length - 1, Math.floor(((event.clientX - box.left) / box.width) * units.length)));
	};
	const choose = (a: number, b: number) => onchoose(units[Math.min(a, b)]!.from, units[Math.max(a, b)]!.through);
	function move(handle: 0 | 1, event: KeyboardEvent) {
		const step = { ArrowLeft: -1, ArrowRight: 1, PageUp: -12, PageDown: 12, Home: -1e6, End: 1e6 }[event.key];
		if (step === undefined) return;
		event.preventDefault();
		const at: [number, number] = chosen ? [...chosen] : [0, units.length - 1];
		const low = handle === 0 ? 0 : at[0];
		const high = handle === 0 ? at[1] : units.length - 1;
		at[handle] = Math.max(low, Math.min(high, at[handle] + step));
		choose(...at);
	}
</script>

{#if units.length > 1}
	<div data-strip>
		<!-- svelte-ignore a11y_no_static_element_interactions (the two handles beneath do the same by keyboard) -->
		<div
			bind:this={strip}
			class="border-line-strong flex h-14 cursor-crosshair touch-none items-end gap-0.5 border-b"
			onpointerdown={(e) => {
				strip!.setPointerCapture(e.pointerId);
				dragged = [place(e), place(e)];
			}}
			onpointermove={(e) => {
				if (dragged) dragged = [dragged[0], place(e)];
			}}
			onpointerup={() => {
				if (dragged) choose(...dragged);
				dragged = undefined;
			}}
		>
			{#each units as unit, i (unit.period)}
				<div class="flex h-full min-w-px grow items-end" title="{unit.period}: {countText(unit.count)}">
					<div
						class="w-full rounded-t-[2px] {inside(i) ? 'bg-act' : 'bg-line-strong'}"
						style:height="{unit.count ? Math.max(5, (unit.count / most) * 100) : 0}%"
					></div>
				</div>
			{/each}
		</div>
		<div class="text-ink-3 mt-1 flex justify-between text-xs tabular-nums">
			{#each [0, 1] as const as handle (handle)}
				{@const unit = units[chosen?.[handle] ?? (handle === 0 ? 0 : units.length - 1)]!}
				<button
					type="button"
					role="slider"
					class="rounded-base border-line-strong min-h-6 border px-1.5"
					aria-label={handle === 0 ? 'First unit of the period' : 'Last unit of the period'}
					aria-valuemin={0}
					aria-valuemax={units.length - 1}
					aria-valuenow={chosen?.[handle] ?? (handle === 0 ? 0 : units.length - 1)}
					aria-valuetext={unit.readback}
					onkeydown={(e) => move(handle, e)}>{unit.period}</button
				>
			{/each}
		</div>
	</div>
{:else if loaded.value === undefined && !loaded.failure}
	<div class="border-line-strong h-[5.25rem]" aria-hidden="true"></div>
{/if}
