<script lang="ts">
	// A calendar to pick one day from, with day, month and year views. The field
	// beside it stays the owner of what was typed.
	import { parseDate, type DateValue } from '@internationalized/date';
	import { DatePicker } from '@skeletonlabs/skeleton-svelte';
	import type { CalendarYear } from '../lib/api';
	import { yearOf } from '../lib/calendar';

	let {
		value,
		earliest,
		latest,
		start,
		calendar,
		onpick,
	}: {
		value: string;
		earliest?: string;
		latest?: string;
		start: string;
		/** The calendar whose holidays and named periods are shown. */
		calendar?: string;
		onpick: (day: string) => void;
	} = $props();

	const day = (text?: string): DateValue | undefined => {
		try {
			return text ? parseDate(text) : undefined;
		} catch {
			return undefined; // typed in words, or not finished
		}
	};
	const selected = $derived(day(value));
	// Where it opens: at the day typed, or else at the one proposed.
	const opened = $derived(selected ?? day(start));
	// The years that were shown, as the calendar has them.
	let years = $state.raw<Record<number, CalendarYear>>({});
	function show(year: number) {
		if (calendar && !years[year])
			yearOf(calendar, year).then((found) => found && (years = { ...years, [year]: found }));
	}
	$effect(() => {
		if (opened) show(opened.year);
	});
	const holiday = (text: string) => years[Number(text.slice(0, 4))]?.holidays?.find((h) => h.day === text);
	const periodsOf = (from: string, through: string) =>
		(years[Number(from.slice(0, 4))]?.periods ?? []).filter((p) => p.through >= from && p.from <= through);
	const named = (text: string) => periodsOf(text, text)[0];
	/** A day that may be picked, the nearest to one. */
	const allowed = (text: string) => (latest && text > latest ? latest : earliest && text < earliest ? earliest : text);
	const jump = 'rounded-base hover:bg-wash grid size-8 shrink-0 place-items-center';
	const cell =
		'rounded-base px-2 py-1 text-center tabular-nums cursor-pointer hover:bg-wash data-[selected]:bg-act data-[selected]:text-act-ink data-[today]:font-bold data-[today]:underline data-[disabled]:opacity-40 data-[outside-range]:opacity-50';
</script>

<DatePicker
	inline
	locale={navigator.language}
	startOfWeek={1}
	value={selected ? [selected] : []}
	defaultFocusedValue={opened}
	min={day(earliest)}
	max={day(latest)}
	onFocusChange={(e) => e.focusedValue && show(e.focusedValue.year)}
	onValueChange={(e) => e.value[0] && onpick(e.value[0].toString())}
>
	<DatePicker.Content class="panel w-72 space-y-2 p-3 shadow-lg">
		{#each ['day', 'month', 'year'] as const as view (view)}
			<DatePicker.View {view}>
				<DatePicker.Context>
					{#snippet children(picker)}
						{@const year = (by: number) => picker().setFocusedValue(picker().focusedValue.add({ years: by }))}
						<DatePicker.ViewControl class="mb-2 flex items-center justify-between">
							{#if view === 'day'}
								<button type="button" class={jump} aria-label="A year earlier" onclick={() => year(-1)}>«</button>
							{/if}
							<DatePicker.PrevTrigger class={jump} aria-label="Earlier" />
							<DatePicker.ViewTrigger
								class="hover:bg-wash rounded-base grow px-1 py-1 font-semibold"
								aria-label="{picker().visibleRangeText.start}, other months and years"
							>
								<DatePicker.RangeText />
							</DatePicker.ViewTrigger>
							<DatePicker.NextTrigger class={jump} aria-label="Later" />
							{#if view === 'day'}
								<button type="button" class={jump} aria-label="A year later" onclick={() => year(1)}>»</button>
							{/if}
						</DatePicker.ViewControl>
						<DatePicker.Table class="w-full">
							{#if view === 'day'}
								<DatePicker.TableHead>
									<DatePicker.TableRow>
										{#each picker().weekDays as name, i (i)}
											<DatePicker.TableHeader class="muted py-1 text-center text-xs"
												>{name.short}</DatePicker.TableHeader
											>
										{/each}
									</DatePicker.TableRow>
								</DatePicker.TableHead>
								<DatePicker.TableBody>
									{#each picker().weeks as week, i (i)}
										<DatePicker.TableRow>
											{#each week as date (date.toString())}
												<DatePicker.TableCell value={date}>
													<DatePicker.TableCellTrigger
														class="{cell} relative {holiday(date.toString()) ? 'text-warn' : ''} {named(date.toString())
															? 'rounded-b-none shadow-[inset_0_-2px_var(--color-line-strong)]'
															: ''}"
														title={[holiday(date.toString())?.name, named(date.toString())?.name]
															.filter(Boolean)
															.join(', ') || undefined}
														data-holiday={holiday(date.toString()) ? '' : undefined}
														>{date.day}{#if holiday(date.toString())}<span
																class="bg-warn absolute top-0.5 right-0.5 size-1 rounded-full"
																aria-hidden="true"
															></span>{/if}</DatePicker.TableCellTrigger
													>
												</DatePicker.TableCell>
											{/each}
										</DatePicker.TableRow>
									{/each}
								</DatePicker.TableBody>
							{:else}
								<DatePicker.TableBody>
									{#each view === 'month' ? picker().getMonthsGrid( { columns: 4, format: 'short' } ) : picker().getYearsGrid( { columns: 4 } ) as row, i (i)}
										<DatePicker.TableRow>
											{#each row as unit (unit.value)}
												<DatePicker.TableCell value={unit.value}>
													<DatePicker.TableCellTrigger class={cell}>{unit.label}</DatePicker.TableCellTrigger>
												</DatePicker.TableCell>
											{/each}
										</DatePicker.TableRow>
									{/each}
								</DatePicker.TableBody>
							{/if}
						</DatePicker.Table>
						{#if view === 'day'}
							{@const range = picker().visibleRange}
							{@const [from, through] = [range.start.toString(), range.end.toString()]}
							<p class="mt-2 flex justify-between text-[13px]">
								<button type="button" class="text-act min-h-6 underline" onclick={() => onpick(allowed(from))}
									>First day</button
								>
								<button type="button" class="text-act min-h-6 underline" onclick={() => onpick(allowed(through))}
									>Last day</button
								>
							</p>
							{#if calendar}
								<p class="mt-1 text-[13px]">
									<a class="underline" href="#/calendars/{encodeURIComponent(calendar)}/{range.start.year}"
										>{years[range.start.year]?.title ?? calendar}</a
									>
								</p>
								<ul class="muted mt-1 space-y-0.5 text-[13px]" data-marked>
									{#each (years[range.start.year]?.holidays ?? []).filter((h) => h.day >= from && h.day <= through) as h (h.day)}
										<li>{Number(h.day.slice(8))} · {h.name || 'holiday'}</li>
									{/each}
									{#each periodsOf(from, through) as p (p.name)}
										<li>
											<button type="button" class="underline" onclick={() => onpick(allowed(p.from))}>{p.name}</button>
											{p.from} to {p.through}
										</li>
									{/each}
								</ul>
							{/if}
						{/if}
					{/snippet}
				</DatePicker.Context>
			</DatePicker.View>
		{/each}
	</DatePicker.Content>
</DatePicker>
