<script lang="ts">
	// The drafting page: a form and the text side by side, each following the
	// other; what the service finds and says of it; the first rows.
	import { untrack } from 'svelte';
	import { link, push, replace, router } from 'svelte-spa-router';
	import {
		definitionSchema,
		listDefinitions,
		listSources,
		messageOf,
		showSource,
		type DefinitionInfo,
		type Proposal,
		type Source,
	} from '../lib/api';
	import { add, fieldsOf, itemsOf, markOf, move, problemsAt, set, textOf, type Value } from '../draft/definition';
	import { columnsOf } from '../build/building';
	import Rename from '../build/Rename.svelte';
	import { standingOf, type How } from '../draft/standing';
	import TheirChange from '../draft/TheirChange.svelte';
	import { beginning, Draft } from '../draft/draft.svelte';
	import Editor from '../draft/Editor.svelte';
	import { buildAddress, draftAddress, reportAddress, newDraftAddress } from '../lib/link';
	import Empty from '../parts/Empty.svelte';
	import PageHead from '../parts/PageHead.svelte';
	import { account } from '../lib/account.svelte';
	import StatementQuestions from '../draft/StatementQuestions.svelte';
	import RulePreview from '../draft/RulePreview.svelte';
	import PublishDialog from '../draft/PublishDialog.svelte';
	import ResultTable from '../result/ResultTable.svelte';
	import type { Row } from '../result/run.svelte';
	import SchemaForm, { type Drafting } from '../draft/SchemaForm.svelte';
	import { orderOf, type Schema } from '../draft/schema-form';
	import VersionsDialog from '../draft/VersionsDialog.svelte';

	// The address of a new one is drafts/new/KIND, where the kind stands as the name.
	let { params }: { params: { kind: string; name: string } } = $props();
	const isNew = $derived(params.kind === 'new');
	const kind = $derived(isNew ? params.name : params.kind);

	const draft = new Draft();
	let schemas = $state.raw<Schema[]>([]);
	let sources = $state.raw<Source[]>([]);
	let definitions = $state.raw<DefinitionInfo[]>([]);
	let said = $state('');
	let place = $state(0);
	let publishing = $state('');
	let looking = $state(false);
	let renaming = $state(false);

	const tell = (e: unknown) => (draft.failure = messageOf(e));
	definitionSchema().then((s) => (schemas = (s as Schema).oneOf ?? []), tell);
	const refresh = () => listDefinitions().then((list) => (definitions = list), tell);
	refresh();
	const known = listSources()
		.then((list) => Promise.allSettled(list.map((s) => showSource(s.name))))
		.then((found) => (sources = found.flatMap((f) => (f.status === 'fulfilled' ? [f.value] : []))), tell);

	$effect(() => {
		const [k, name, fresh] = [kind, params.name, isNew];
		untrack(async () => {
			said = '';
			if (!fresh) return draft.open(k, name);
			await known;
			const fields = new URLSearchParams(router.querystring ?? '');
			draft.create(`${k}?${fields}`, beginning(k, fields, sources[0]?.name ?? ''));
		});
		return () => draft.close();
	});

	const schema = $derived(schemas.find((s) => s.title === kind));
	const value = $derived(draft.reading.value);
	const text = (field: string) => textOf(value?.[field]);
	// A criterion names no source; the first one's tables are offered.
	const source = $derived(
		sources.find((s) => s.name === text('source')) ?? (kind === 'criterion' ? sources[0] : undefined),
	);
	const list = (field: string) => itemsOf(value?.[field]);
	const named = (v: Value, key: string) => textOf(v) || textOf(fieldsOf(v)[key]);
	const words = $derived(draft.found?.words ?? []);
	const names = $derived({
		source: sources.map((s) => s.name),
		from: source?.tables?.map((t) => t.name) ?? [],
		table: source?.tables?.map((t) => t.name) ?? [],
		// Of a condition, "on" is a table; of a join it is a condition itself.
		...(kind === 'rule' ? { on: source?.tables?.map((t) => t.name) ?? [] } : {}),
		...(kind === 'criterion' ? { on: sources.flatMap((s) => s.tables?.map((t) => t.name) ?? []) } : {}),
		query: definitions.filter((d) => d.kind === 'query').map((d) => d.name),
		report: definitions.filter((d) => d.kind === 'report' && d.version > 0).map((d) => d.name),
		use: definitions.filter((d) => d.kind === 'parameter').map((d) => d.name),
		tablesInUse: [text('from'), ...list('joins').map((j) => named(j, 'table'))].filter(Boolean),
		columns:
			kind === 'report'
				? words.filter((w) => w.kind === 'column').map((w) => w.text)
				: list('columns').map((c) => named(c, 'name').split('.').pop()!),
		questions: words.filter((w) => w.kind === 'question' && !w.text.includes('.')).map((w) => w.text.replace(/^:/, '')),
		words: words.filter((w) => ['column', 'function'].includes(w.kind)).map((w) => w.text),
	});
	const drafting = $derived<Drafting>({
		set: (path, v, order) => draft.write(set(draft.text, path, v, order)),
		add: (path, item, order) => draft.write(add(draft.text, path, item, order)),
		move: (path, from, to) => draft.write(move(draft.text, path, from, to)),
		problemsAt: (path) => problemsAt(draft.problems, path),
		words,
		names,
		source,
	});
	const marks = $derived(draft.problems.map((p) => markOf(draft.text, p)));
	const fields = $derived.by(() => {
		const all: Record<string, string> = {};
		const visit = (s: Schema) => {
			for (const [name, property] of Object.entries(s.properties ?? {})) {
				all[name] ??= property.description ?? '';
				visit(property);
			}
			for (const inner of [s.items, s.additionalProperties, ...(s.anyOf ?? [])]) if (inner) visit(inner);
		};
		if (schema) visit(schema);
		return Object.entries(all).map(([name, about]) => ({ name, about }));
	});
	const primary: Record<string, string[]> = {
		query: ['name', 'title', 'source', 'from', 'joins', 'parameters', 'columns', 'criteria', 'sort'],
		report: ['name', 'title', 'about', 'tags', 'query', 'ask', 'columns', 'groups', 'totals'],
		parameter: ['name', 'title', 'parameter'],
		criterion: ['name', 'title', 'on', 'criteria'],
		source: ['name', 'title', 'encodings'],
		calendar: ['name', 'title', 'week', 'fiscal', 'years', 'holidays', 'periods'],
		rule: ['name', 'title', 'source', 'on', 'for', 'criteria', 'unrestricted'],
	};

	const order = $derived(schema ? orderOf(schema) : []);
	/** Puts a question in the place of a value in SQL by hand. */
	function ask(sql: string, p: Proposal) {
		const question: Value = { name: p.name, kind: p.kind, label: p.label };
		if (p.many) question.many = true;
		if (p.choices) question.choices = { column: p.choices };
		question.default = p.default ?? [];
		draft.write(add(set(draft.text, ['sql'], sql, order), ['parameters'], question, order));
	}

	const own = $derived(definitions.find((d) => d.kind === kind && d.name === text('name')));
	const standing = $derived(standingOf(draft.changed, draft.saved, own));
	async function save(how: How = ''): Promise<boolean> {
		const kept = await draft.save(how);
		if (!kept) return false;
		said = `Saved as the draft of ${kept.kind} ${kept.name}.`;
		await refresh();
		const address = draftAddress(kept.kind, kept.name);
		if (decodeURIComponent(router.location) !== decodeURIComponent(address)) await replace(address);
		return true;
	}
	const saved = async () => !draft.changed || (await save());
	async function tryIt() {
		const name = text('name');
		if (await saved()) push(reportAddress({ report: name, draft: true, overview: kind === 'overview' }));
	}
	async function publish() {
		const name = text('name');
		if (await saved()) publishing = name;
	}
	function key(event: KeyboardEvent) {
		if ((event.ctrlKey || event.metaKey) && event.key === 's') {
			event.preventDefault();
			save();
		}
	}
	const readings = $derived(draft.found?.readings?.[0]?.conditions ?? []);
</script>

<svelte:head><title>{text('name') || 'New ' + kind} · Pike Gate</title></svelte:head>
<svelte:window onkeydown={key} />

<datalist id="names-words"
	>{#each names.words as n (n)}<option value={n}></option>{/each}</datalist
>
{#each ['source', 'from', 'table', 'on', 'query', 'report', 'use', 'questions'] as const as field (field)}
	<datalist id="names-{field}"
		>{#each new Set(names[field] ?? []) as n (n)}<option value={n}></option>{/each}</datalist
	>
{/each}

{#if !isNew && draft.saved === undefined}
	<div class="space-y-3 p-4">
		<PageHead title={params.name} about={kind} />
		{#if draft.failure}
			<div role="alert">
				<Empty>
					<p>{draft.failure}</p>
					<p>
						<button type="button" class="text-act underline" onclick={() => draft.open(kind, params.name)}
							>Try again</button
						>, or go to <a href="/drafts" use:link>all drafts</a>.
					</p>
				</Empty>
			</div>
		{/if}
	</div>
{:else}
	<div class="flex flex-col gap-3 p-4 lg:h-full">
		<div class="flex flex-wrap items-center gap-x-4 gap-y-2">
			<h1 class="text-xl font-semibold">{text('title') || text('name') || 'New ' + kind}</h1>
			<span class="muted text-sm" data-standing={draft.changed ? 'changed' : 'saved'}
				>{kind} {text('name')}, {standing}</span
			>
			<span class="grow"></span>
			<button type="button" class="button" onclick={() => save()} title="Ctrl+S">Save</button>
			{#if kind === 'report' || kind === 'overview'}
				<button type="button" class="button" onclick={tryIt}>Try it</button>
			{:else if kind === 'query' && !isNew}
				<a
					class="button"
					href={newDraftAddress('report', { query: text('name'), name: text('name') + '-report' })}
					use:link>Make a report of it</a
				>
			{/if}
			{#if !isNew && ['report', 'query'].includes(kind)}
				<a class="button" href={buildAddress(kind, params.name)} use:link>Sentence</a>
			{/if}
			{#if kind === 'calendar' && own?.version}
				<a class="button" href="/calendars/{encodeURIComponent(own.name)}" use:link>See a year</a>
			{/if}
			{#if kind === 'schedule' && own?.version}
				<a class="button" href="/schedules/{encodeURIComponent(own.name)}" use:link>See when</a>
			{/if}
			{#if !isNew && ['query', 'criterion', 'parameter', 'calendar'].includes(kind)}
				<button type="button" class="button" onclick={async () => (renaming = !draft.changed || (await save()))}
					>Rename …</button
				>
			{/if}
			{#if !isNew}<button type="button" class="button" onclick={() => (looking = true)}>Versions</button>{/if}
			<button type="button" class="button-act" onclick={publish}>Publish …</button>
			{#if draft.changed && draft.saved !== undefined}
				<button type="button" class="text-sm underline" onclick={() => draft.discard()}>Back to what was saved</button>
			{/if}
		</div>
		{#if draft.failure}<p role="alert" class="text-bad text-sm">{draft.failure}</p>{/if}
		{#if draft.newer}
			<TheirChange mergeable={draft.newer.mergeable} onsave={save} />
		{/if}
		<p role="status" class="text-sm empty:hidden">{said}</p>

		<div class="grid min-h-0 grow grid-cols-1 gap-4 lg:grid-cols-[minmax(22rem,2fr)_3fr]">
			<section aria-label="Form" class="panel min-h-0 overflow-y-auto p-3">
				{#if value && schema}
					<SchemaForm {schema} {value} path={[]} primary={primary[kind]} {drafting} />
				{:else if draft.text && !value}
					<p class="text-sm">
						The form follows the text again when it can be read. {draft.reading.trouble}
					</p>
				{/if}
			</section>

			<div class="flex min-h-0 min-w-0 flex-col gap-3">
				<section aria-label="Text" class="panel h-80 min-h-40 overflow-hidden lg:h-auto lg:grow-5 lg:basis-0">
					{#if draft.text}
						<Editor
							text={draft.text}
							mode="definition"
							label="Text of the definition"
							{marks}
							{words}
							{fields}
							{place}
							onchange={(t) => {
								if (t !== draft.text) draft.write(t);
							}}
						/>
					{/if}
				</section>
				<!-- svelte-ignore a11y_no_noninteractive_tabindex (it scrolls) -->
				<section
					aria-label="What is found"
					class="max-h-56 space-y-2 overflow-y-auto text-sm lg:max-h-none lg:min-h-16 lg:grow-2 lg:basis-0"
					tabindex="0"
				>
					<ul aria-live="polite" class="space-y-1" data-findings={draft.checking ? 'checking' : draft.problems.length}>
						{#each draft.problems as problem, i (i)}
							<li>
								<button
									type="button"
									class="text-left {problem.severity === 'warning' ? '' : 'text-bad'}"
									onclick={() => (place = (marks[i]?.from ?? 0) + 1)}
								>
									<span aria-hidden="true">{problem.severity === 'warning' ? '◆' : '▲'}</span>
									<span class="underline"
										>{problem.field?.replace(/^\w+ \S+: /, '')}{problem.line ? `, line ${problem.line}` : ''}</span
									>:
									{problem.message}
									{problem.hint ?? ''}
								</button>
							</li>
						{:else}
							{#if draft.found}<li class="muted">No problems.</li>{/if}
						{/each}
					</ul>
					{#if kind === 'query' && text('sql') && text('source')}
						<StatementQuestions
							sql={text('sql')}
							source={text('source')}
							asked={list('parameters').map((q) => named(q, 'name'))}
							onask={ask}
						/>
					{/if}
					{#if readings.length}
						<div data-reading>
							<h2 class="font-semibold">In words</h2>
							<ol class="list-decimal pl-5">
								{#each readings as c, i (i)}<li>{c.words} <code class="muted">{c.text}</code></li>{/each}
							</ol>
						</div>
					{/if}
					{#if kind === 'report' && Array.isArray(value?.examples)}
						<div>
							<h2 class="flex items-center gap-3 font-semibold">
								Examples <button
									type="button"
									class="button font-normal"
									disabled={draft.running}
									onclick={() => draft.check(true)}>Run the examples</button
								>
							</h2>
							<ul aria-live="polite" data-examples>
								{#each draft.found?.examples ?? [] as e (e.number)}
									<li>Example {e.number}: <strong>{e.kept ? 'kept' : 'broken'}</strong>. {e.words}</li>
								{/each}
							</ul>
						</div>
					{/if}
				</section>
				<section aria-label="First rows" class="h-64 min-h-32 lg:h-auto lg:grow-3 lg:basis-0">
					{#if kind === 'rule' && account.administers && account.me?.state === 'closed'}
						<RulePreview
							text={draft.text}
							name={text('name')}
							sound={!!draft.found && !draft.problems.some((p) => p.severity !== 'warning')}
						/>
					{:else if draft.rows && !draft.without}
						<ResultTable
							report="draft:{kind}/{text('name')}"
							columns={draft.rows.columns ?? []}
							rows={(draft.rows.rows ?? []) as Row[]}
							kept={draft.rows.rows?.length ?? 0}
							title={text('name')}
						/>
					{:else}
						<p class="muted panel grid h-full place-items-center p-3 text-center text-sm">{draft.without || '…'}</p>
					{/if}
				</section>
			</div>
		</div>
	</div>
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
{#if renaming}
	<Rename
		{kind}
		name={params.name}
		questions={list('parameters').map((q) => named(q, 'name'))}
		columns={kind === 'query' ? columnsOf(value).map((c) => c.name) : []}
		onclose={async (name) => {
			renaming = false;
			if (name && name !== params.name) await push(draftAddress(kind, name));
			else if (name) await draft.open(kind, name);
			if (name) refresh();
		}}
	/>
{/if}
{#if looking}
	<VersionsDialog
		{kind}
		name={params.name}
		onback={(t, version) => {
			draft.write(t);
			said = `Version ${version} stands in the text; save it to make it the draft.`;
		}}
		onclose={() => (looking = false)}
	/>
{/if}
