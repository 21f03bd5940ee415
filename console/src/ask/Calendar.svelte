<script lang="ts">
	// A calendar to pick one day from, with day, month and year views. The field
	// beside it stays the owner of what was typed.
	import { parseDate, type DateValue } from '@internationalized/date';
	import { DatePicker } from '@skeletonlabs/skeleton-svelte';

	let {
		value,
		earliest,
		latest,
		start,
		onpick,
	}: { value: string; earliest?: string; latest?: string; start: string; onpick: (day: string) => void } = $props();

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
	onValueChange={(e) => e.value[0] && onpick(e.value[0].toString())}
>
	<DatePicker.Content class="panel w-72 space-y-2 p-3 shadow-lg">
		{#each ['day', 'month', 'year'] as const as view (view)}
			<DatePicker.View {view}>
				<DatePicker.Context>
					{#snippet children(picker)}
						<DatePicker.ViewControl class="mb-2 flex items-center justify-between">
							<DatePicker.PrevTrigger
								class="rounded-base hover:bg-wash grid size-8 place-items-center"
								aria-label="Earlier"
							/>
							<DatePicker.ViewTrigger
								class="hover:bg-wash rounded-base px-3 py-1 font-semibold"
								aria-label="{picker().visibleRangeText.start}, other months and years"
							>
								<DatePicker.RangeText />
							</DatePicker.ViewTrigger>
							<DatePicker.NextTrigger
								class="rounded-base hover:bg-wash grid size-8 place-items-center"
								aria-label="Later"
							/>
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
													<DatePicker.TableCellTrigger class={cell}>{date.day}</DatePicker.TableCellTrigger>
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
					{/snippet}
				</DatePicker.Context>
			</DatePicker.View>
		{/each}
	</DatePicker.Content>
</DatePicker>
