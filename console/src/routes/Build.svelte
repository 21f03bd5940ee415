<script lang="ts">
	// A report is built by pointing at it: the tables, the sentence, the questions, and
	// the first records beneath; the text of it is one key away.
	import { untrack } from 'svelte';
	import { link, push, replace, router } from 'svelte-spa-router';
	import {
		beginReport,
		copyDefinition,
		definitionSchema,
		fullMessageOf,
		listComparisons,
		listDefinitions,
		listValues,
		messageOf,
		showSource,
		type Column,
		type DefinitionInfo,
		type Operator,
		type Phrase,
		type Source,
	} from '../lib/api';
	import {
		columnsOf,
		labelled,
		questionsOf,
		quoted,
		tablesOf,
		wordingOf,
		type Building,
		type Subject,
	} from '../build/building';
	import ColumnPanel from '../build/ColumnPanel.svelte';
	import Panel from '../build/Panel.svelte';
	import Rename from '../build/Rename.svelte';
	import Questions from '../build/Questions.svelte';
	import Sentence from '../build/Sentence.svelte';
	import { Shape } from '../build/shape';
	import Tree from '../build/Tree.svelte';
	import { isGroup, isWhole } from '../build/tree';
	import { partsOf, Work, type Part } from '../build/work.svelte';
	import {
		add,
		fieldsOf,
		itemsOf,
		markOf,
		move,
		problemsAt,
		set,
		textOf,
		type Mark,
		type Value,
	} from '../draft/definition';
	import { standingOf, type How } from '../draft/standing';
	import TheirChange from '../draft/TheirChange.svelte';
	import Editor from '../draft/Editor.svelte';
	import PublishDialog from '../draft/PublishDialog.svelte';
	import { full, orderOf, type Schema } from '../draft/schema-form';
	import type { Drafting } from '../draft/SchemaForm.svelte';
	import { buildAddress, draftAddress } from '../lib/link';
	import PageHead from '../parts/PageHead.svelte';
	import Dialog from '../parts/Dialog.svelte';
	import Empty from '../parts/Empty.svelte';
	import ResultTable from '../result/ResultTable.svelte';
	import type { Row } from '../result/run.svelte';

	// The address of a new one is build/new/report, and tells the source and the table.
	let { params }: { params: { kind: string; name: string } } = $props();
	const isNew = $derived(params.kind === 'new');

	const work = new Work();
	let schemas = $state.raw<Schema[]>([]);
	let operators = $state.raw<Record<string, Operator[]>>({});
	let definitions = $state.raw<DefinitionInfo[]>([]);
	let source = $state.raw<Source>();
	let said = $state('');
	let asText = $state(false);
	let place = $state(0);
	let publishing = $state('');
	let titling = $state(false);
	let copying = $state(false);
	let copyTrouble = $state('');
	let renaming = $state(false);
	/** Keeps what was saved under another name, and goes on there. */
	async function copy(event: SubmitEvent) {
		event.preventDefault();
		const to = String(new FormData(event.currentTarget as HTMLFormElement).get('copy-name') ?? '').trim();
		copyTrouble = '';
		try {
			if (!(await saved())) return (copying = false);
			await copyDefinition(main!.kind, main!.name, to);
			copying = false;
			push(buildAddress(main!.kind, to));
		} catch (e) {
			copyTrouble = fullMessageOf(e);
		}
	}

	const tell = (e: unknown) => (work.failure = messageOf(e));
	definitionSchema().then((s) => (schemas = (s as Schema).oneOf ?? []), tell);
	listComparisons().then((list) => (operators = list), tell);
	const refresh = () => listDefinitions().then((list) => (definitions = list), tell);
	refresh();

	$effect(() => {
		const [kind, name, fresh, fields] = [params.kind, params.name, isNew, router.querystring ?? ''];
		untrack(async () => {
			said = '';
			if (!fresh) return work.goesOn(kind, name) || work.open(kind, name);
			const wanted = new URLSearchParams(fields);
			if (!wanted.get('table')) return; // the address is about to be another
			try {
				const begun = Work.begun(fields)
					? ''
					: (await beginReport(wanted.get('source') ?? '', wanted.get('table') ?? '', wanted.get('on') ?? '')).content;
				work.create(fields, begun);
			} catch (e) {
				tell(e);
			}
		});
		return () => work.close();
	});

	const value = $derived(work.reading.value);
	const report = $derived(work.reportReading.value);
	const title = $derived(
		textOf(report?.title) ||
			textOf(value?.title) ||
			labelled(textOf(report?.name) || textOf(value?.name) || params.name),
	);
	const main = $derived(work.report ?? work.query);

	$effect(() => {
		const name = textOf(value?.source);
		if (!name || untrack(() => source?.name) === name) return;
		let here = true;
		showSource(name).then(
			(s) => here && (source = s),
			() => here && (source = undefined), // the check says why
		);
		return () => {
			here = false;
		};
	});
	const schemaOf = (kind: string) => schemas.find((s) => s.title === kind);
	const querySchema = $derived(schemaOf(work.query?.kind ?? 'query'));
	const questionSchema = $derived.by(() => {
		const items = schemaOf('query')?.properties?.parameters?.items;
		return items ? full(items) : undefined;
	});
	const order = $derived(querySchema ? orderOf(querySchema) : []);

	const words = $derived(work.found?.words ?? []);
	const columns = $derived(columnsOf(value));
	const inUse = $derived(tablesOf(value));
	const own = $derived(inUse[0]!.as);
	const subjects = $derived.by((): Subject[] => {
		const bare = new Set(words.filter((w) => w.kind === 'column').map((w) => w.text));
		const labels = new Map(columns.map((c) => [c.value, c.label]));
		return words
			.filter((w) => w.kind === 'column' && !(w.text.startsWith(own + '.') && bare.has(w.text.slice(own.length + 1))))
			.map((w) => ({ text: w.text, type: w.about ?? '', label: labels.get(w.text) ?? labelled(w.text) }));
	});
	const questions = $derived(questionsOf(value, report));
	const quick = $derived(
		Object.fromEntries(
			Object.entries(wordingOf(report)).map(([name, asked]) => [name, itemsOf(fieldsOf(asked).quick).map(textOf)]),
		),
	);

	/** What is done where a column that is dragged is let go. */
	let dropped: (() => void) | undefined;
	/** The column of the result whose head is opened. */
	let heading = $state('');
	/** What stood there when a panel was opened. */
	let before: { parts: Part[]; tree: typeof work.tree; writing: boolean } | undefined;
	const snapshot = () => (before = { parts: work.parts, tree: work.tree, writing: work.writing });
	function giveBack() {
		if (!before) return;
		const { parts, tree, writing } = before;
		before = undefined;
		work.giveBack(parts, tree);
		if (writing && tree) building.change(tree.condition); // it was not in the text yet
	}
	const operatorsOf = (type: string | undefined) => operators[type || 'unknown'] ?? operators.unknown ?? [];
	const whole = (p: Phrase): boolean =>
		isGroup(p) ? (p.parts ?? []).every(whole) : isWhole(p, operatorsOf(p.subject?.type));
	/** The name of a question, as they are named, that is not taken. */
	function free(wish: string): string {
		const base =
			wish
				.toLowerCase()
				.replace(/[^a-z0-9]+/g, '_')
				.replace(/^[^a-z]+|_+$/g, '') || 'question';
		for (let n = 1; ; n++) {
			const name = n === 1 ? base : `${base}_${n}`;
			if (!questions.some((q) => q.name === name)) return name;
		}
	}
	const building = $derived<Building>({
		subjects,
		questions,
		operatorsOf,
		change: (tree) => {
			if (whole(tree))
				work.condition(tree, (text, criteria) =>
					set(text, ['criteria'], criteria.includes('\n') ? criteria.trimEnd() + '\n' : criteria, order),
				);
			else work.wish(tree);
		},
		ask: (subject, operator) => {
			const kind =
				operator.takes === 'period'
					? 'period'
					: ['text', 'integer', 'decimal', 'yes-no', 'date', 'date-time'].includes(subject.type ?? '')
						? subject.type!
						: 'text';
			const name = free(kind === 'period' ? 'period' : subject.label || subject.text.split('.').pop()!);
			const item: { [field: string]: Value } = { name, kind };
			if (subject.label) item.label = subject.label;
			if (operator.takes === 'many') item.many = true;
			if (kind === 'period') item.required = true;
			if (kind === 'text' && subject.column) item.choices = { column: subject.column };
			work.edit('query', (text) => add(text, ['parameters'], item, order));
			return name;
		},
		values: async (column, search) => {
			const [, table, name] = /^(.*)\.([^.]*)$/.exec(column) ?? [];
			return table && name ? listValues(textOf(value?.source), table, name, search) : [];
		},
		back: giveBack,
	});
	const drafting = $derived<Drafting>({
		set: (path, v, o) => work.edit('query', (text) => set(text, path, v, o)),
		add: (path, item, o) => work.edit('query', (text) => add(text, path, item, o)),
		move: (path, from, to) => work.edit('query', (text) => move(text, path, from, to)),
		problemsAt: (path) =>
			problemsAt(
				work.problems.filter((p) => !p.field?.startsWith('report ')),
				path,
			),
		words,
		names: {
			words: subjects.map((s) => s.text),
			column: (source?.tables ?? []).flatMap((t) => (t.columns ?? []).map((c) => `${t.name}.${c.name}`)),
			use: definitions.filter((d) => d.kind === 'parameter').map((d) => d.name),
			query: definitions.filter((d) => d.kind === 'query').map((d) => d.name),
			questions: questions.map((q) => q.name),
		},
		source,
	});
	const reportOrder = $derived.by(() => {
		const schema = schemaOf('report');
		return schema ? orderOf(schema) : [];
	});
	const shape = new Shape(work, () => ({ query: order, report: reportOrder }));
	/** The type of a column of the result as it came, or of the tables. */
	function typeOf(name: string): string {
		const came = work.rows?.columns?.find((c) => c.name === name)?.type;
		const value = columns.find((c) => c.name === name)?.value ?? name;
		return came ?? subjects.find((s) => s.text === value)?.type ?? '';
	}
	const shown = $derived(columns.map((c) => c.value));
	function show(column: { table: string; as: string; name: string }, join?: Value) {
		const written = words.find(
			(w) =>
				w.kind === 'column' &&
				w.text.replaceAll('"', '') === (column.table ? `${column.as}.${column.name}` : column.name),
		)?.text;
		const text = written ?? (column.table ? quoted(column.as) + '.' : '') + quoted(column.name);
		const taken = columns.some((c) => c.name === column.name);
		const item: Value = taken ? { name: `${column.as.replace(/s$/, '')}_${column.name}`, value: text } : text;
		work.edit('query', (t) => add(join ? add(t, ['joins'], join, order) : t, ['columns'], item, order));
	}
	function addQuestion(kind: string) {
		const name = free(kind === 'period' ? 'period' : kind.replace('-', '_'));
		work.edit('query', (text) => add(text, ['parameters'], { name, kind }, order));
	}

	/** The title stands above both; what was never saved is named after it. */
	function retitle(to: string) {
		titling = false;
		if (!to || to === title) return;
		const fresh = work.saved === undefined;
		const name = to
			.toLowerCase()
			.replace(/[^a-z0-9]+/g, '-')
			.replace(/^[^a-z]+|-+$/g, '');
		for (const kind of ['query', 'report'] as const) {
			if (kind === 'query' && work.report && !fresh) continue;
			work.edit(kind, (text) => {
				let made = set(text, ['title'], to, order);
				if (fresh && name) made = set(made, ['name'], name);
				if (fresh && name && kind === 'report') made = set(made, ['query'], name);
				return made;
			});
		}
	}

	const info = $derived(definitions.find((d) => d.kind === main?.kind && d.name === main?.name));
	const standing = $derived(standingOf(work.changed, work.saved, info));
	async function save(how: How = ''): Promise<boolean> {
		if (!(await work.save(how))) return false;
		said = 'Saved.';
		await refresh();
		const address = buildAddress(main!.kind, main!.name);
		if (router.location !== address) await replace(address);
		return true;
	}
	const saved = async () => (await work.isSaved()) || (await save());
	async function tryIt() {
		const name = work.report?.name ?? '';
		if (await saved()) push(draftAddress('report', name) + '/try');
	}
	async function publish() {
		const name = main?.name ?? '';
		if (await saved()) publishing = name;
	}
	function key(event: KeyboardEvent) {
		const typing = (event.target as Partial<HTMLElement>).closest?.(
			'input, textarea, select, [contenteditable], [data-editor]',
		);
		const letter = (event.ctrlKey || event.metaKey) && !event.altKey ? event.key.toLowerCase() : '';
		if (letter === 's') save();
		else if (letter === 'e') asText = !asText;
		else if ((letter === 'y' || (letter === 'z' && event.shiftKey)) && !typing) work.forth();
		else if (letter === 'z' && !typing) work.back();
		else return;
		event.preventDefault();
	}

	/** Where problems stand in the text of all documents. */
	const marks = $derived.by((): Mark[] => {
		let [at, line] = [0, 0];
		const starts = work.parts.map((p) => {
			const start = { p, at, line };
			const text = p.text.replace(/\n*$/, '\n');
			at += text.length + 4;
			line += text.split('\n').length;
			return start;
		});
		return work.problems.map((problem) => {
			const of = starts.find((s) => problem.field?.startsWith(`${s.p.kind} ${s.p.name}`)) ?? starts[0]!;
			const mark = markOf(of.p.text, { ...problem, line: problem.line ? problem.line - of.line : problem.line });
			return { ...mark, from: mark.from + of.at, to: mark.to + of.at };
		});
	});
	const failing = $derived(work.problems.filter((p) => p.severity !== 'warning'));
	const elsewhere = $derived(work.problems.filter((p) => !work.inCriteria(p)));
	const others = $derived(work.problems.filter((p) => p.code === 'breaks_user').length);
</script>

<svelte:head><title>{title} · Pike Gate</title></svelte:head>
<svelte:window onkeydown={key} />
<datalist id="names-words"
	>{#each new Set(drafting.names.words) as n (n)}<option value={n}></option>{/each}</datalist
>
{#each ['column', 'use', 'query', 'questions'] as field (field)}
	<datalist id="names-{field}"
		>{#each new Set(drafting.names[field] ?? []) as n (n)}<option value={n}></option>{/each}</datalist
	>
{/each}

{#if !work.parts.length}
	<div class="space-y-3 p-4 sm:px-5">
		<PageHead title={isNew ? 'New report' : params.name} about="" />
		{#if work.failure}
			<div role="alert">
				<Empty>
					<p>{work.failure}</p>
					<p><a href="/sources" use:link>Choose a table</a>, or go to <a href="/drafts" use:link>all drafts</a>.</p>
				</Empty>
			</div>
		{/if}
	</div>
{:else}
	<div class="flex flex-col gap-3 p-4 sm:px-5 lg:h-full">
		<div class="flex flex-wrap items-center gap-x-4 gap-y-2">
			<div class="min-w-0 grow basis-full sm:basis-64">
				{#if titling}
					<input
						class="field max-w-md text-lg font-semibold"
						aria-label="Title"
						name="title"
						value={title}
						{@attach (input) => (input as HTMLInputElement).select()}
						onblur={(e) => retitle(e.currentTarget.value.trim())}
						onkeydown={(e) => {
							if (e.key === 'Enter') e.currentTarget.blur();
							else if (e.key === 'Escape') titling = false;
						}}
					/>
				{:else}
					<h1>
						<button type="button" class="text-left" title="Change the title" data-title onclick={() => (titling = true)}
							>{title}</button
						>
					</h1>
				{/if}
				<span class="muted block truncate text-sm" data-standing={work.changed ? 'changed' : 'saved'}
					>{main?.kind} {main?.name}, {standing}</span
				>
			</div>
			<button type="button" class="button-quiet" disabled={!work.past.length} title="Ctrl+Z" onclick={() => work.back()}
				>Undo</button
			>
			<button
				type="button"
				class="button-quiet"
				disabled={!work.future.length}
				title="Ctrl+Shift+Z"
				onclick={() => work.forth()}>Redo</button
			>
			<button type="button" class="button-quiet" aria-pressed={asText} onclick={() => (asText = !asText)}
				>{asText ? 'Sentence' : 'Text'} <kbd class="text-ink-3 text-xs">Ctrl E</kbd></button
			>
			{#if work.saved !== undefined}
				<button type="button" class="button-quiet" onclick={() => (copying = true)}>Copy …</button>
				<button type="button" class="button-quiet" onclick={async () => (renaming = await saved())}>Rename …</button>
			{/if}
			<button type="button" class="button" onclick={() => save()} title="Ctrl+S">Save</button>
			{#if work.report}<button type="button" class="button" onclick={tryIt}>Try it</button>{/if}
			<button type="button" class="button-act" onclick={publish}>Publish …</button>
		</div>
		{#each [work.unsaved, work.failure].filter(Boolean) as why (why)}
			<p role="alert" class="text-bad text-sm">{why}</p>
		{/each}
		{#if Object.keys(work.newer).length}
			<TheirChange mergeable={Object.values(work.newer).every((n) => n.mergeable)} onsave={save} />
		{/if}
		<p role="status" class="sr-only">{said}</p>
		{#if others}
			<p class="wash-warn text-sm">
				The query {work.query?.name} is used elsewhere, and what uses it would not be valid any more. The text says where.
			</p>
		{/if}

		{#if asText}
			<section aria-label="Text" class="panel h-[70vh] overflow-hidden lg:h-auto lg:min-h-0 lg:grow-4 lg:basis-0">
				<Editor
					text={work.text}
					mode="definition"
					label="Text of the definitions"
					{marks}
					{words}
					{place}
					onchange={(t) => work.take(partsOf(t, work.parts), true)}
				/>
			</section>
			<ul class="max-h-40 shrink-0 space-y-1 overflow-y-auto text-sm" data-findings={work.problems.length}>
				{#each work.problems as p, i (i)}
					<li>
						<button
							type="button"
							class="text-left underline {p.severity === 'warning' ? '' : 'text-bad'}"
							onclick={() => (place = (marks[i]?.from ?? 0) + 1)}>{p.field}: {p.message} {p.hint ?? ''}</button
						>
					</li>
				{:else}<li class="muted">No problems.</li>
				{/each}
			</ul>
			{#if work.saved !== undefined && !work.changed}
				<p class="text-sm">
					{#each work.parts as p (p.kind)}
						<a class="mr-4" href={draftAddress(p.kind, p.name)} use:link>All fields and versions of the {p.kind}</a>
					{/each}
				</p>
			{/if}
		{:else}
			<div class="grid min-h-0 grow grid-cols-1 gap-3.5 lg:grid-cols-[230px_minmax(0,1fr)_300px]">
				<section aria-label="Tables" class="panel order-3 min-h-0 overflow-y-auto p-3 lg:order-1">
					{#if value?.union !== undefined}
						<h2 class="pane-head">Columns of its queries</h2>
						<ul class="text-sm" data-union-columns>
							{#each subjects as s (s.text)}
								{@const there = !shown.length || shown.includes(s.text)}
								<li>
									<button
										type="button"
										class="rounded-base hover:bg-wash flex min-h-6 w-full items-center justify-between gap-2 px-1.5 text-left"
										aria-pressed={there}
										title={there ? 'It is shown' : 'Show it'}
										onclick={() => !there && shape.addColumn(s.text)}
										><span class="min-w-0 truncate"
											><span class="text-act mr-1 inline-block w-3 text-xs" aria-hidden="true">{there ? '✓' : ''}</span
											>{s.text}</span
										><small class="text-ink-3 shrink-0">{s.type}</small></button
									>
								</li>
							{/each}
						</ul>
					{:else if source}<Tree {source} {inUse} {shown} onadd={show} ondrag={(drop) => (dropped = drop)} />
					{:else}<p class="muted text-sm">{textOf(value?.source) || 'No source'} cannot be read now.</p>{/if}
				</section>
				<div
					class="order-1 flex min-h-0 min-w-0 flex-col gap-3.5 lg:order-2"
					role="group"
					aria-label="The report"
					ondragover={(e) => dropped && e.preventDefault()}
					ondrop={() => {
						dropped?.();
						dropped = undefined;
					}}
				>
					<section aria-label="Sentence" class="panel min-h-24 px-4 py-3 lg:max-h-[65%] lg:shrink-0 lg:overflow-y-auto">
						{#if value}
							<Sentence {work} {building} {shape} {typeOf} onopen={snapshot} />
						{:else}<p class="text-sm">
								The sentence follows the text again when it can be read. {work.reading.trouble}
							</p>{/if}
						<ul
							class="space-y-1 text-sm"
							data-findings={work.found && !work.checking && !work.writing ? failing.length : 'checking'}
							aria-live="polite"
						>
							{#each elsewhere as p, i (i)}
								<li class={p.severity === 'warning' ? 'text-warn' : 'text-bad'}>
									<span aria-hidden="true">{p.severity === 'warning' ? '◆' : '▲'}</span>
									{p.message}
									{p.hint ?? ''}
								</li>
							{/each}
						</ul>
					</section>
					<section aria-label="First rows" class="flex h-72 min-h-32 flex-col lg:h-auto lg:grow lg:basis-0">
						{#if work.rows && !work.without}
							{#if !work.rows.rows?.length}
								<p class="muted mb-1 text-sm">
									No record matches the default answers. What each condition lets through stands beside it.
								</p>
							{/if}
							<ResultTable
								report="draft:{main?.kind}/{main?.name}"
								columns={work.rows.columns ?? []}
								rows={(work.rows.rows ?? []) as Row[]}
								kept={work.rows.rows?.length ?? 0}
								{title}
								onmove={(name, to) => {
									const from = columns.findIndex((c) => c.name === name);
									const at = columns.findIndex((c) => c.name === to);
									if (from >= 0 && at >= 0) shape.moveColumn(from, at);
								}}
								heads={{
									opened: heading,
									panel,
									toggle: (name) => {
										if (heading !== name) snapshot();
										heading = heading === name ? '' : name;
									},
								}}
							/>
						{:else}
							<p class="muted panel grid h-full place-items-center p-3 text-center text-sm">{work.without || '…'}</p>
						{/if}
					</section>
				</div>
				<section aria-label="Questions" class="panel order-2 min-h-0 overflow-y-auto p-3 lg:order-3">
					<Questions
						parameters={itemsOf(value?.parameters)}
						{questions}
						schema={questionSchema}
						{drafting}
						{quick}
						onadd={addQuestion}
					/>
				</section>
			</div>
		{/if}
	</div>
{/if}

{#if copying}
	<Dialog title="Copy {main?.kind} {main?.name}" width="28rem" onclose={() => (copying = false)}>
		<form class="space-y-3" onsubmit={copy}>
			<label class="block"
				>Name of the copy
				<input class="field" name="copy-name" required value="{main?.name}-2" /></label
			>
			<p class="muted text-sm">
				Lower-case words joined by dashes. A report takes its query along where no other report uses it.
			</p>
			{#if copyTrouble}<p role="alert" class="wash-bad text-sm">{copyTrouble}</p>{/if}
			<button type="submit" class="button-act">Copy</button>
		</form>
	</Dialog>
{/if}
{#snippet panel(column: Column)}
	{@const index = columns.findIndex((c) => c.name === column.name)}
	{#if heading === column.name && index >= 0}
		<Panel
			label="The column {column.label}"
			onclose={() => (heading = '')}
			onback={() => {
				heading = '';
				giveBack();
			}}
		>
			<ColumnPanel {shape} {subjects} {index} type={typeOf(column.name)} onclose={() => (heading = '')} />
		</Panel>
	{/if}
{/snippet}
{#if renaming}
	<Rename
		kind={work.query?.kind ?? ''}
		name={work.query?.name ?? ''}
		questions={questions.map((q) => q.name)}
		columns={columns.map((c) => c.name)}
		onclose={async (name) => {
			renaming = false;
			if (!name) return;
			if (!work.report && name !== work.query?.name) return push(buildAddress(work.query!.kind, name));
			await work.open(main!.kind, main!.name);
			said = 'Renamed.';
		}}
	/>
{/if}
{#if publishing}
	<PublishDialog
		name={publishing}
		onclose={(published) => {
			publishing = '';
			if (published) said = published;
			refresh();
		}}
	/>
{/if}
