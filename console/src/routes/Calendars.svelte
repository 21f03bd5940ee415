<script lang="ts">
	// The organisation's calendars: a year of one of them, with its weeks, the days that are
	// not worked, holidays, named periods and fiscal parts.
	import { link, push } from 'svelte-spa-router';
	import { listCalendars, showCalendar, type CalendarInfo, type CalendarYear } from '../lib/api';
	import { Loaded } from '../lib/loaded.svelte';
	import { spanText, stampText } from '../lib/text';
	import Empty from '../parts/Empty.svelte';
	import PageHead from '../parts/PageHead.svelte';
	import Pending from '../parts/Pending.svelte';

	let { params = {} }: { params?: { name?: string; year?: string } } = $props();

	const all = new Loaded<CalendarInfo[]>();
	const shown = new Loaded<CalendarYear>();
	$effect(() => all.ask(() => listCalendars()));
	const name = $derived(params.name ?? (all.value?.length === 1 ? all.value[0]!.name : undefined));
	$effect(() => {
		if (name) return shown.ask(() => showCalendar(name, Number(params.year ?? 0)));
	});
	const year = $derived(shown.value?.name === name ? shown.value : undefined);
	const turn = (by: number) => push(`/calendars/${name}/${year!.year + by}`);

	const weekdays = ['monday', 'tuesday', 'wednesday', 'thursday', 'friday', 'saturday', 'sunday'];
	const order = $derived.by(() => {
		const first = Math.max(0, weekdays.indexOf(year?.week_start ?? 'monday'));
		return [...weekdays.slice(first), ...weekdays.slice(0, first)];
	});
	const holidays = $derived(new Map((year?.holidays ?? []).map((h) => [h.day, h.name || 'holiday'])));
	const worked = $derived(new Set(year?.working));
	/** A month in weeks, blanks before its first day. */
	function weeksOf(month: { from: string; days: number }): (string | undefined)[][] {
		const before = order.indexOf(weekdayOf(month.from));
		const days = Array.from({ length: before + month.days }, (_, i) =>
			i < before ? undefined : month.from.slice(0, 8) + String(i - before + 1).padStart(2, '0'),
		);
		return Array.from({ length: Math.ceil(days.length / 7) }, (_, i) => days.slice(i * 7, i * 7 + 7));
	}
	const weekdayOf = (text: string) => weekdays[(new Date(text + 'T00:00:00Z').getUTCDay() + 6) % 7]!;
	const off = (text: string) => holidays.has(text) || !worked.has(weekdayOf(text));
	const within = (text: string) => (year?.periods ?? []).find((p) => p.from <= text && text <= p.through);
	const monthName = (from: string) =>
		new Date(from + 'T00:00:00Z').toLocaleDateString(navigator.language, { month: 'long', timeZone: 'UTC' });
	const told = (text: string) =>
		[stampText(text), holidays.get(text), within(text)?.name, off(text) ? 'not worked' : ''].filter(Boolean).join(', ');
</script>

<div class="mx-auto max-w-[1280px] space-y-4 p-4 sm:px-5">
	{#if year}
		<PageHead title={year.title} about={year.about} />
		<div>
			<div class="mb-4 flex flex-wrap items-center gap-2">
				<button type="button" class="button-quiet" onclick={() => turn(-1)} aria-label="The year before">‹</button>
				<span class="text-lg font-semibold tabular-nums" data-year>{year.year}</span>
				<button type="button" class="button-quiet" onclick={() => turn(1)} aria-label="The year after">›</button>
				{#if (all.value?.length ?? 0) > 1}
					<label class="ml-4"
						><span class="sr-only">Calendar</span>
						<select class="field w-auto" value={name} onchange={(e) => push(`/calendars/${e.currentTarget.value}`)}>
							{#each all.value ?? [] as c (c.name)}<option value={c.name}>{c.title}</option>{/each}
						</select></label
					>
				{/if}
				<span class="muted ml-auto text-[13px]">{year.name}, version {year.version}</span>
			</div>
			{#if !year.known}<p class="text-warn mb-3">The holidays of this year are not known to the calendar.</p>{/if}
			<div class="flex flex-col gap-8 lg:flex-row">
				<div class="grid grow grid-cols-1 gap-x-8 gap-y-5 sm:grid-cols-2 xl:grid-cols-3">
					{#each year.months ?? [] as month (month.name)}
						<table class="w-full table-fixed self-start text-center text-sm tabular-nums" data-month={month.name}>
							<caption class="mb-1 text-left font-semibold"
								>{monthName(month.from)}
								<small class="text-ink-3 font-normal">{month.worked} worked</small></caption
							>
							<thead
								><tr
									>{#each order as day (day)}<th scope="col" class="text-ink-3 text-xs font-normal"
											><abbr class="no-underline" title={day}>{day.slice(0, 2)}</abbr></th
										>{/each}</tr
								></thead
							>
							<tbody>
								{#each weeksOf(month) as week, i (i)}
									<tr
										>{#each order, at}{@const day = week[at]}<td
												class="h-6.5 {day && within(day)
													? 'shadow-[inset_0_-2px_var(--color-line-strong)]'
													: ''} {day && off(day) ? 'bg-wash text-ink-3' : ''} {day && holidays.has(day)
													? 'text-warn font-semibold'
													: ''}"
												title={day && told(day)}
												data-day={day}>{day ? Number(day.slice(8)) : ''}</td
											>{/each}</tr
									>
								{/each}
							</tbody>
						</table>
					{/each}
				</div>
				<div class="shrink-0 space-y-6 lg:w-80">
					<section>
						<h2 class="mb-1 font-semibold">Holidays</h2>
						<dl class="grid grid-cols-[auto_1fr] gap-x-4 gap-y-0.5 text-sm tabular-nums">
							{#each year.holidays ?? [] as h (h.day)}<dt>{stampText(h.day)}</dt>
								<dd>{h.name || 'holiday'}</dd>{:else}<dd class="muted">None this year.</dd>{/each}
						</dl>
					</section>
					{#each [{ title: 'Named periods', of: year.periods ?? [] }, { title: 'Fiscal', of: year.fiscal ?? [] }] as part (part.title)}
						{#if part.of.length}
							<section>
								<h2 class="mb-1 font-semibold">{part.title}</h2>
								<ul class="space-y-1 text-sm tabular-nums">
									{#each part.of.filter((s) => s.kind !== 'fiscal week') as s (s.name)}
										<li>
											{s.name}
											<span class="muted block text-[13px]">{spanText(s.from, s.through)}, {s.worked} worked</span>
										</li>
									{/each}
								</ul>
							</section>
						{/if}
					{/each}
					<p class="muted text-[13px]">
						Grey days are not worked; a line beneath a day is a named period. Any name here can be typed where dates are
						asked.
					</p>
				</div>
			</div>
		</div>
	{:else if all.value && !name}
		<PageHead title="Calendars" />
		{#if all.value.length}
			<ul class="space-y-2">
				{#each all.value as c (c.name)}
					<li>
						<a href="/calendars/{c.name}" use:link>{c.title}</a> <span class="muted">{c.about}</span>
					</li>
				{/each}
			</ul>
		{:else}
			<Empty>
				<p class="font-semibold">There is no calendar yet</p>
				<p>A calendar says which days are worked, what periods are called, and when the fiscal year begins.</p>
			</Empty>
		{/if}
	{:else}
		<Pending of={name ? shown : all} lines={6} />
	{/if}
</div>
