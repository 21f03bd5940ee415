// The text editor: loaded with the drafting page, not before. It lives in a
// shadow root, where its styles are style sheet objects, which a strict
// security policy allows.
import { autocompletion, closeBrackets, completionKeymap, type CompletionContext } from '@codemirror/autocomplete';
import { defaultKeymap, history, historyKeymap } from '@codemirror/commands';
import { yaml } from '@codemirror/lang-yaml';
import { bracketMatching, HighlightStyle, StreamLanguage, syntaxHighlighting } from '@codemirror/language';
import { lintGutter, lintKeymap, setDiagnostics } from '@codemirror/lint';
import { EditorState, type Extension } from '@codemirror/state';
import { drawSelection, EditorView, highlightActiveLine, keymap, lineNumbers } from '@codemirror/view';
import { tags } from '@lezer/highlight';
import type { Word } from '../lib/api';
import type { Mark } from './definition';

/** What is written: a whole definition, or the criteria of one. */
export type Mode = 'definition' | 'criteria';

export type Settings = {
	mode: Mode;
	label: string;
	words: () => Word[];
	/** Names of fields, offered where a line of a definition begins. */
	fields: () => { name: string; about: string }[];
	changed: (text: string) => void;
};

// The language of criteria, as far as colours go.
const criteria = StreamLanguage.define<object>({
	token(stream) {
		if (stream.eatSpace()) return null;
		if (stream.match('--')) {
			stream.skipToEnd();
			return 'comment';
		}
		if (stream.match(/'(?:[^']|'')*'?/)) return 'string';
		if (stream.match(/"(?:[^"]|"")*"?/)) return 'variableName';
		if (stream.match(/:[a-z_][\w.]*/i)) return 'atom';
		if (stream.match(/\d+(?:\.\d+)?/)) return 'number';
		const word = stream.match(/[\p{L}_][\w.]*/u) as RegExpMatchArray | null;
		if (word) return keywords.has(word[0].toLowerCase()) ? 'keyword' : 'variableName';
		stream.next();
		return 'operator';
	},
	languageData: { commentTokens: { line: '--' } },
});
const keywords = new Set(
	'and or not within in between is blank contains starts ends with ignoring case overlaps inside covers meets true false of any no at least most exactly where from as count sum average median percentile greatest distinct'.split(
		' ',
	),
);

const colours = HighlightStyle.define([
	{ tag: [tags.propertyName, tags.definition(tags.propertyName)], color: 'var(--act)', fontWeight: '600' },
	{ tag: [tags.keyword, tags.operator], color: 'var(--act)', fontWeight: '600' },
	{ tag: [tags.atom, tags.bool], color: 'var(--ink-value)' },
	{ tag: [tags.string, tags.number], color: 'var(--ink-value)' },
	{ tag: tags.comment, color: 'var(--ink-2)', fontStyle: 'italic' },
]);

const look = EditorView.theme({
	'&': { height: '100%', color: 'var(--ink)', backgroundColor: 'var(--sheet)', fontSize: '0.875rem' },
	'&.cm-focused': { outline: '2px solid var(--act)', outlineOffset: '-2px' },
	'.cm-scroller': { fontFamily: 'ui-monospace, monospace', lineHeight: '1.5' },
	'.cm-content': { caretColor: 'var(--ink)' },
	'.cm-cursor': { borderLeftColor: 'var(--ink)' },
	'.cm-gutters': { backgroundColor: 'var(--wash)', color: 'var(--ink-2)', border: 'none' },
	'.cm-activeLine': { backgroundColor: 'var(--line-here)' },
	'.cm-selectionBackground, &.cm-focused > .cm-scroller > .cm-selectionLayer .cm-selectionBackground': {
		backgroundColor: 'var(--act-wash)',
	},
	'.cm-tooltip': { backgroundColor: 'var(--wash)', color: 'var(--ink)', border: '1px solid var(--ink-2)' },
	'.cm-tooltip-autocomplete ul li[aria-selected]': { backgroundColor: 'var(--act)', color: 'var(--sheet)' },
	'.cm-completionDetail': { color: 'inherit', opacity: '0.85' },
	'.cm-diagnostic': { fontFamily: 'system-ui, sans-serif' },
});

const kinds: Record<string, string> = {
	column: 'property',
	question: 'variable',
	function: 'function',
	criterion: 'class',
	table: 'type',
	word: 'keyword',
};

function complete(settings: Settings) {
	return (context: CompletionContext) => {
		const line = context.state.doc.lineAt(context.pos);
		const before = line.text.slice(0, context.pos - line.from);
		if (settings.mode === 'definition' && /^[\s-]*\w*$/.test(before) && settings.fields().length) {
			const word = context.matchBefore(/\w*/)!;
			if (word.from === word.to && !context.explicit) return null;
			const options = settings
				.fields()
				.map((f) => ({ label: f.name, type: 'property', info: f.about, apply: f.name + ': ' }));
			return { from: word.from, options: [...options, ...words(settings)], validFor: /^\w*$/ };
		}
		const word = context.matchBefore(/:?[\p{L}_][\w.]*|:/u);
		if (!word && !context.explicit) return null;
		return { from: word?.from ?? context.pos, options: words(settings), validFor: /^:?[\p{L}_]?[\w.]*$/u };
	};
}

const words = (settings: Settings) =>
	settings.words().map((w) => ({
		label: w.text,
		type: kinds[w.kind] ?? 'text',
		detail: w.about,
		boost: { question: 3, column: 2, criterion: 1 }[w.kind as 'question'] ?? 0,
		apply: w.kind === 'function' ? w.text.slice(0, w.text.indexOf('(') + 1) : w.text,
	}));

/** Puts an editor into an element. */
export function open(element: HTMLElement, text: string, settings: Settings) {
	const root = element.shadowRoot ?? element.attachShadow({ mode: 'open' });
	const own: Extension[] =
		settings.mode === 'definition'
			? [yaml(), lineNumbers(), highlightActiveLine()]
			: [criteria, EditorView.lineWrapping];
	const state = EditorState.create({
		doc: text,
		extensions: [
			...own,
			look,
			syntaxHighlighting(colours),
			history(),
			drawSelection(),
			bracketMatching(),
			closeBrackets(),
			lintGutter(),
			autocompletion({ override: [complete(settings)] }),
			keymap.of([...completionKeymap, ...defaultKeymap, ...historyKeymap, ...lintKeymap]),
			EditorView.contentAttributes.of({ 'aria-label': settings.label, spellcheck: 'false', tabindex: '0' }),
			EditorView.updateListener.of((update) => {
				if (update.docChanged) settings.changed(update.state.doc.toString());
			}),
		],
	});
	const view = new EditorView({ state, parent: root, root });
	return {
		/** Takes over a text that was changed elsewhere, as one small change. */
		show(next: string) {
			const now = view.state.doc.toString();
			if (now === next) return;
			let from = 0;
			while (from < Math.min(now.length, next.length) && now[from] === next[from]) from++;
			let end = 0;
			while (end < Math.min(now.length, next.length) - from && now.at(-1 - end) === next.at(-1 - end)) end++;
			view.dispatch({ changes: { from, to: now.length - end, insert: next.slice(from, next.length - end) } });
		},
		mark(marks: Mark[]) {
			const most = view.state.doc.length;
			const within = marks.map((m) => ({ ...m, from: Math.min(m.from, most), to: Math.min(m.to, most) }));
			view.dispatch(setDiagnostics(view.state, within));
		},
		/** Puts the cursor at a place and shows it. */
		go(at: number) {
			view.dispatch({ selection: { anchor: Math.min(at, view.state.doc.length) }, scrollIntoView: true });
			view.focus();
		},
		close: () => view.destroy(),
	};
}
