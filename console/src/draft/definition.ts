// The text of a definition and what a form shows of it. A change made in the
// form is made in the text at its place, so that comments and the order of
// fields stay; the text is the truth, and the form is read from it.
import {
	Document,
	isMap,
	isPair,
	isScalar,
	isSeq,
	parseAllDocuments,
	Scalar,
	YAMLSeq,
	type Node,
	type ParsedNode,
} from 'yaml';
import type { Problem } from '../lib/api';

export type Path = (string | number)[];

/** A value of a definition as it was written: texts, true or false, lists, fields. */
export type Value = string | boolean | Value[] | { [field: string]: Value };

export type Reading = {
	/** The fields of the definition; undefined while the text cannot be read. */
	value?: { [field: string]: Value };
	/** Why it cannot be read. */
	trouble: string;
};

/** A value as a text, blank for what is none. */
export const textOf = (v: Value | undefined) => (typeof v === 'string' ? v : '');
/** The fields of a value, none for what has none. */
export const fieldsOf = (v: Value | undefined): { [field: string]: Value } =>
	v && typeof v === 'object' && !Array.isArray(v) ? v : {};
/** The items of a value, none for what is no list. */
export const itemsOf = (v: Value | undefined): Value[] => (Array.isArray(v) ? v : []);

const printed = { lineWidth: 0, flowCollectionPadding: false } as const;

function documentOf(text: string): Document.Parsed<ParsedNode> | undefined {
	const documents = parseAllDocuments(text);
	return Array.isArray(documents) && documents.length === 1 ? (documents[0] as Document.Parsed<ParsedNode>) : undefined;
}

/** The text as a document that can be changed; undefined where it cannot be read. */
function sound(text: string) {
	const doc = documentOf(text);
	return doc?.errors.length ? undefined : doc;
}

function valueOf(node: unknown): Value {
	if (isMap(node))
		return Object.fromEntries(node.items.map((pair) => [String((pair.key as Scalar).value), valueOf(pair.value)]));
	if (isSeq(node)) return node.items.map(valueOf);
	if (!isScalar(node)) return '';
	if (typeof node.value === 'boolean') return node.value;
	if (node.value === null) return '';
	return node.type === Scalar.PLAIN ? (node.source ?? String(node.value)) : String(node.value);
}

/** Reads a text as one definition. */
export function read(text: string): Reading {
	const doc = documentOf(text);
	if (!doc) return { trouble: text.trim() ? 'The text holds several definitions.' : 'The text is empty.' };
	if (doc.errors.length) return { trouble: doc.errors[0]!.message.split('\n')[0]! };
	const value = valueOf(doc.contents);
	if (typeof value !== 'object' || Array.isArray(value)) return { trouble: 'The text is no fields with values.' };
	return { value, trouble: '' };
}

/** What stands at a path. */
export function at(value: Value | undefined, path: Path): Value | undefined {
	for (const step of path) {
		if (value === undefined || typeof value !== 'object') return undefined;
		value = (value as Record<string | number, Value>)[step];
	}
	return value;
}

const isEmpty = (value: Value | undefined) =>
	value === undefined ||
	value === '' ||
	value === false ||
	(typeof value === 'object' && Object.keys(value).length === 0);

/** Sets what stands at a path; nothing removes it, with what is left empty by that. */
export function set(text: string, path: Path, value: Value | undefined, order: string[] = []): string {
	const doc = sound(text);
	if (!doc || at(valueOf(doc.contents), path) === value) return text;
	const old = doc.getIn(path, true) as Node | undefined;
	if (isEmpty(value)) {
		doc.deleteIn(path);
		for (let n = path.length - 1; n > 0; n--) {
			const holder = doc.getIn(path.slice(0, n)) as { items?: unknown[] } | undefined;
			if (holder?.items?.length === 0) doc.deleteIn(path.slice(0, n));
			else break;
		}
		return doc.toString(printed);
	}
	if (isScalar(old) && typeof value === 'string' && old.range) {
		const [from, to] = old.range;
		for (const candidate of spellings(old, value, text)) {
			const made = text.slice(0, from) + candidate + text.slice(to);
			const now = at(read(made).value, path);
			if (typeof now === 'string' && now.trimEnd() === value.trimEnd()) return made;
		}
	}
	const node = styled(doc.createNode(native(value!)));
	if (isScalar(node) && typeof value === 'string' && value.includes('\n')) node.type = Scalar.BLOCK_LITERAL;
	if (old) [node.comment, node.commentBefore] = [old.comment, old.commentBefore];
	doc.setIn(path, node);
	place(doc, path, order);
	return doc.toString(printed);
}

/** Fields that are short texts stand in one line, as authors write them. */
function styled(node: Node): Node {
	if (isMap(node) || isSeq(node))
		for (const item of node.items) {
			const inner = isPair(item) ? item.value : item;
			if (isMap(inner) || isSeq(inner)) styled(inner as Node);
		}
	if (isMap(node)) {
		const short = (n: unknown) => isScalar(n) || (isSeq(n) && n.items.every(isScalar));
		node.flow = node.items.every((pair) => short(pair.value));
		for (const { value } of node.items) if (node.flow && isSeq(value)) value.flow = true;
	}
	return node;
}

/** Whole numbers without quotes, as people write them. */
function native(value: Value): unknown {
	if (typeof value === 'string') return /^(0|[1-9]\d{0,14})$/.test(value) ? Number(value) : value;
	if (Array.isArray(value)) return value.map(native);
	if (typeof value === 'boolean') return value;
	return Object.fromEntries(Object.entries(value).map(([name, v]) => [name, native(v)]));
}

/** The ways to write a text where another stands, the most like it first. */
function spellings(old: Scalar, value: string, text: string): string[] {
	if (old.type === Scalar.BLOCK_LITERAL || old.type === Scalar.BLOCK_FOLDED) {
		const body = text.slice(old.range![0], old.range![1]);
		const indent = /\n( *)\S/.exec(body)?.[1] ?? '  ';
		const lines = value.trimEnd().split('\n');
		return ['|\n' + lines.map((line) => (line ? indent + line : '')).join('\n') + '\n'];
	}
	const single = `'${value.replaceAll("'", "''")}'`;
	const double = JSON.stringify(value);
	if (value.includes('\n')) return [];
	if (old.value === '') return [value, single, double];
	if (old.type === Scalar.QUOTE_SINGLE) return [single, double];
	if (old.type === Scalar.QUOTE_DOUBLE) return [double];
	return [value, single, double];
}

/** Moves a field that was put at the end of its map to its place in the order. */
function place(doc: Document, path: Path, order: string[]) {
	const name = path.at(-1);
	const holder = path.length > 1 ? doc.getIn(path.slice(0, -1)) : doc.contents;
	if (!isMap(holder) || typeof name !== 'string' || !order.includes(name)) return;
	const keyOf = (i: number) => String((holder.items[i]!.key as Scalar).value ?? holder.items[i]!.key);
	const last = holder.items.length - 1;
	if (keyOf(last) !== name) return;
	const rank = (key: string) => (order.includes(key) ? order.indexOf(key) : order.length);
	let to = last;
	while (to > 0 && rank(keyOf(to - 1)) > rank(name)) to--;
	holder.items.splice(to, 0, holder.items.pop()!);
}

/** Adds an item at the end of a list. */
export function add(text: string, path: Path, item: Value, order: string[] = []): string {
	const doc = sound(text);
	if (!doc) return text;
	const node = styled(doc.createNode(native(item)));
	if (isSeq(doc.getIn(path))) doc.addIn(path, node);
	else {
		const list = new YAMLSeq();
		list.add(node);
		doc.setIn(path, list);
		place(doc, path, order);
	}
	return doc.toString(printed);
}

/** Moves an item of a list. */
export function move(text: string, path: Path, from: number, to: number): string {
	const doc = sound(text);
	const list = doc?.getIn(path);
	if (!doc || !isSeq(list) || to < 0 || to >= list.items.length) return text;
	list.items.splice(to, 0, list.items.splice(from, 1)[0]!);
	return doc.toString(printed);
}

/** The path that a problem's field names: "query x: columns[1].value". */
export function pathOf(field: string): Path {
	const own = field.replace(/^(query|report|parameter|criterion|calendar|rule|source) \S+: /, '');
	return own
		.split(/\.|(?=\[)/)
		.filter(Boolean)
		.map((step) => (/^\[\d+\]$/.test(step) ? Number(step.slice(1, -1)) : step));
}

/** What is wrong at a path, in sentences. */
export const problemsAt = (problems: Problem[], path: Path): string[] =>
	problems
		.filter((p) => {
			const at = pathOf(p.field ?? '');
			return at.length === path.length && path.every((step, i) => String(step) === String(at[i]));
		})
		.map((p) => [p.message, p.hint].filter(Boolean).join(' '));

export type Mark = { from: number; to: number; severity: 'error' | 'warning'; message: string };

/** Where a problem stands in the text. */
export function markOf(text: string, problem: Problem): Mark {
	const severity = problem.severity === 'warning' ? 'warning' : 'error';
	const message = [problem.message, problem.hint].filter(Boolean).join(' ');
	const [from, to] = rangeOf(text, problem);
	return { from, to: Math.min(text.length, Math.max(to, from + 1)), severity, message };
}

function rangeOf(text: string, problem: Problem): [number, number] {
	const lines = text.split('\n');
	const begins = (line: number) => lines.slice(0, line - 1).reduce((sum, l) => sum + l.length + 1, 0);
	const characters = (s: string, from: number, length: number) => [...s].slice(from, from + length).join('');
	if (problem.line && problem.line <= lines.length) {
		const start = begins(problem.line);
		if (!problem.source) {
			const before = characters(lines[problem.line - 1]!, 0, problem.offset).length;
			return [start + before, start + before + problem.length];
		}
		const piece = characters(problem.source, problem.offset, problem.length).split('\n')[0]!;
		const found = piece ? text.indexOf(piece, start) : -1;
		if (found >= 0) return [found, found + piece.length];
	}
	const doc = documentOf(text);
	for (let path = pathOf(problem.field ?? ''); doc && path.length; path = path.slice(0, -1)) {
		const node = doc.getIn(path, true) as Node | undefined;
		if (node?.range) return [node.range[0], node.range[1]];
	}
	return [0, lines[0]?.length ?? 0];
}
