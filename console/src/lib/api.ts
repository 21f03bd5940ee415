// The calls to the service, typed by its OpenAPI document.
import { account } from './account.svelte';
import { connection } from './connection.svelte';
import type { components } from './schema';

export type Schemas = components['schemas'];
export type ReportInfo = Schemas['ReportInfo'];
export type ReportForm = Schemas['ReportForm'];
export type OverviewForm = Schemas['OverviewForm'];
export type OverviewPart = Schemas['OverviewPart'];
export type Figure = Schemas['Figure'];
export type Question = Schemas['FormQuestion'];
export type Choice = Schemas['Choice'];
export type Preview = Schemas['Preview'];
export type Answer = Schemas['Answer'];
export type Explanation = Schemas['Explanation'];
export type Problem = Schemas['Problem'];
export type Fix = Schemas['Fix'];
export type Column = Schemas['Output'];
export type Result = Schemas['Result'];
export type Link = Schemas['Link'];
export type Grouping = Schemas['Grouping'];
export type Opening = Schemas['Opening'];
export type Header = Omit<Result, 'rows' | keyof Summary>;
export type Summary = Pick<
	Result,
	'outcome' | 'count' | 'first' | 'last' | 'problem' | 'ms' | 'reason' | 'edges' | 'totals' | 'chart' | 'left_out'
>;
export type Chart = Schemas['Chart'];
export type Edges = Schemas['Edges'];
export type Total = Schemas['Total'];
export type Subtotal = Schemas['Subtotal'];
export type Why = Schemas['Why'];
export type Coverage = Schemas['Coverage'];
export type CalendarInfo = Schemas['CalendarInfo'];
export type CalendarYear = Schemas['CalendarYear'];
export type Unit = NonNullable<Coverage['units']>[number];
export type RunRecord = Schemas['RunRecord'];
export type RunSummary = Schemas['RunSummary'];
export type Comparison = Schemas['Comparison'];
export type DefinitionInfo = Schemas['DefinitionInfo'];
export type Examination = Schemas['Examination'];
export type Word = Schemas['Word'];
export type CriteriaTree = Schemas['CriteriaTree'];
export type Phrase = Schemas['Phrase'];
export type PhraseValue = Schemas['Value'];
export type Operator = Schemas['Operator'];
export type ConditionCounts = Schemas['ConditionCounts'];
export type ConditionCount = Schemas['ConditionCount'];
export type Beginning = Schemas['Made'];
export type Proposal = Schemas['Proposal'];
export type StoredValue = Schemas['StoredValue'];
export type Unfit = Schemas['Unfit'];
export type Renamed = Schemas['Renamed'];
export type Review = Schemas['Review'];
export type Version = Schemas['Version'];
export type Difference = Schemas['Difference'];
export type Source = Schemas['Source'];
export type SourceInfo = Schemas['SourceInfo'];
export type Table = Schemas['Table'];
export type SourceColumn = Schemas['Column'];
export type ColumnExtent = Schemas['ColumnExtent'];
export type Me = Schemas['Me'];
export type Profile = Schemas['Profile'];
export type User = Schemas['User'];
export type UserChange = Schemas['UserChange'];
export type Invitation = Schemas['Invitation'];
export type Group = Schemas['Group'];
export type Grant = Schemas['Grant'];
export type Session = Schemas['Session'];
export type Token = Schemas['Token'];
export type NewToken = Schemas['NewToken'];
export type Factor = Schemas['Factor'];
export type SavedAnswers = Schemas['SavedAnswers'];
export type ReportReader = Schemas['ReportReader'];
export type FileSettings = Schemas['FileFormat'];
export type UploadedFile = Schemas['UploadedFile'];
export type AuditEntry = Schemas['AuditEntry'];
export type Verified = Schemas['Verified'];
export type Ways = Schemas['Ways'];
export type ScheduleInfo = Schemas['ScheduleInfo'];
export type Notice = Schemas['Notice'];

/** What one question was answered with: a text, texts, or a start and an end. */
export type Input = string | string[] | { start?: string; end?: string };
export type Inputs = Record<string, Input>;

/** A refusal: a problem document the service answered with. */
export class Refusal extends Error {
	problems: Problem[];
	/** The HTTP status, 0 where there was no answer. */
	status: number;
	constructor(document: { detail?: string; errors?: Problem[] | null }, status = 0) {
		super(document.detail ?? 'The service refused.');
		this.problems = document.errors ?? [];
		this.status = status;
	}
}

/** What went wrong, in a sentence. */
export const messageOf = (e: unknown) => (e instanceof Refusal ? e.message : String(e));

/** The same with every problem and its ways out. */
export const fullMessageOf = (e: unknown) =>
	e instanceof Refusal && e.problems.length
		? e.problems.map((p) => `${p.message} ${p.hint ?? ''}`).join(' ')
		: messageOf(e);

/** The calls that need no sign-in. */
const openToAll = /^\/(sign-in|welcome)/;

/** Calls the service. */
export async function call(method: string, path: string, body?: unknown, signal?: AbortSignal): Promise<Response> {
	let response: Response;
	try {
		response = await fetch('api/v1' + path, {
			method,
			signal,
			headers: body === undefined ? {} : { 'Content-Type': 'application/json' },
			body: body === undefined ? undefined : JSON.stringify(body),
		});
	} catch (error) {
		if (signal?.aborted) throw error;
		connection.lost();
		throw new Refusal({ detail: 'The service does not answer. Is it running?' });
	}
	connection.back();
	if (!response.ok) {
		if (response.status === 401 && !openToAll.test(path)) account.lost();
		throw new Refusal(await response.json().catch(() => ({ detail: response.statusText })), response.status);
	}
	return response;
}

/** Calls the service, which answers with JSON. */
export async function json<T>(method: string, path: string, body?: unknown, signal?: AbortSignal): Promise<T> {
	return (await call(method, path, body, signal)).json();
}

/** A name in a path. */
export const part = encodeURIComponent;

/** Which report, or overview, is meant: the published one, or what was pushed last. */
export type Target = { report: string; draft: boolean; overview?: boolean };
const report = (target: Target) => (target.overview ? '/overviews/' : '/reports/') + part(target.report);

export const listReports = (signal?: AbortSignal) => json<ReportInfo[]>('GET', '/reports', undefined, signal);
export const askReport = (t: Target, signal?: AbortSignal) =>
	json<ReportForm>('GET', `${report(t)}?draft=${t.draft}`, undefined, signal);
export const listOverviews = (signal?: AbortSignal) => json<ReportInfo[]>('GET', '/overviews', undefined, signal);
/** The number that a part of an overview shows; parts are counted from 1. */
export const measurePart = (t: Target, number: number, inputs: Inputs, signal: AbortSignal) =>
	json<Figure>('POST', `${report(t)}/parts/${number}/number`, { inputs, draft: t.draft }, signal);
/** Runs the report of a part, of which so many records are sent at the most. */
export const runPart = (t: Target, number: number, most: number, inputs: Inputs, signal: AbortSignal) =>
	call('POST', `${report(t)}/parts/${number}/runs?most=${most}`, { inputs, draft: t.draft }, signal);
export const listChoices = (t: Target, question: string, search: string, inputs: Inputs, signal: AbortSignal) =>
	json<Choice[]>(
		'POST',
		`${report(t)}/questions/${part(question)}/choices?limit=200&search=${part(search)}`,
		{ inputs, draft: t.draft },
		signal,
	);
export const previewReport = (t: Target, inputs: Inputs, signal: AbortSignal) =>
	json<Preview>('POST', report(t) + '/preview', { inputs, draft: t.draft }, signal);
export const explainReport = (t: Target, inputs: Inputs, sort: string[], signal?: AbortSignal) =>
	json<Explanation>('POST', report(t) + '/explain?plan=true', { inputs, sort, draft: t.draft }, signal);
export const listCalendars = (signal?: AbortSignal) => json<CalendarInfo[]>('GET', '/calendars', undefined, signal);
export const showCalendar = (name: string, year: number) =>
	json<CalendarYear>('GET', `/calendars/${encodeURIComponent(name)}?year=${year}`);
export const coverReport = (t: Target, by: string, inputs: Inputs, signal: AbortSignal) =>
	json<Coverage>('POST', `${report(t)}/coverage?by=${encodeURIComponent(by)}`, { inputs, draft: t.draft }, signal);
export type FileFormat = 'csv' | 'xlsx' | 'pdf' | 'html' | 'json' | 'jsonl' | 'parquet' | 'xml' | 'svg' | 'png';
export type CSVFormat = Schemas['CSVFormat'];
/** A whole result as a file. */
export const takeFile = async (t: Target, inputs: Inputs, sort: string[], format: FileFormat, csv: CSVFormat) =>
	(await call('POST', `${report(t)}/runs?format=${format}`, { inputs, sort, draft: t.draft, csv })).blob();
/** A whole overview as a file. */
export const takePage = async (t: Target, inputs: Inputs, format: 'pdf' | 'html') =>
	(await call('POST', `${report(t)}/runs?format=${format}`, { inputs, draft: t.draft })).blob();
/** The pages of a result, each a picture on a line of its own. */
export const takePages = (t: Target, inputs: Inputs, sort: string[], signal: AbortSignal) =>
	call('POST', `${report(t)}/runs?format=pages`, { inputs, sort, draft: t.draft }, signal);
/** The drawing of a chart, so many millimetres wide and high. */
export const drawChart = async (
	chart: Chart,
	language: string | undefined,
	width: number,
	height: number,
	signal: AbortSignal,
) => (await call('POST', '/drawings', { chart, language, width, height }, signal)).text();
export const startRun = (t: Target, inputs: Inputs, sort: string[], signal: AbortSignal) =>
	call('POST', report(t) + '/runs?format=ndjson', { inputs, sort, draft: t.draft }, signal);

export type RunFilter = { report?: string; outcome?: string; from?: string; until?: string; before?: number };
export const listRuns = (filter: RunFilter, limit: number, signal?: AbortSignal) => {
	const query = new URLSearchParams({ limit: String(limit) });
	for (const [name, value] of Object.entries(filter)) if (value) query.set(name, String(value));
	return json<RunSummary[]>('GET', '/runs?' + query, undefined, signal);
};
export const showRun = (run: number, signal?: AbortSignal) => json<RunRecord>('GET', `/runs/${run}`, undefined, signal);
export const whyRun = (run: number, signal?: AbortSignal) => json<Why>('GET', `/runs/${run}/why`, undefined, signal);
export const compareRuns = (run: number, other: number, signal?: AbortSignal) =>
	json<Comparison>('GET', `/runs/${run}/compare/${other}`, undefined, signal);

export const listSources = (signal?: AbortSignal) => json<SourceInfo[]>('GET', '/sources', undefined, signal);
export const addSource = (source: SourceInfo) => json<Source>('POST', '/sources', source);
/** Changes the connection of a source; what is left out stays. */
export const changeSource = (name: string, change: Omit<SourceInfo, 'name'>) =>
	json<Source>('PATCH', '/sources/' + part(name), change);
export const removeSource = (name: string, anyway: boolean) =>
	call('DELETE', `/sources/${part(name)}?anyway=${anyway}`);
/** Keeps the password of sources under a name, sealed. */
export const saveSecret = (name: string, secret: string) => call('PUT', '/secrets/' + part(name), { secret });
export const showSource = (source: string, signal?: AbortSignal) =>
	json<Source>('GET', '/sources/' + part(source), undefined, signal);
export const checkSource = (source: string, signal?: AbortSignal) =>
	json<Schemas['Inspection']>('GET', `/sources/${part(source)}/check`, undefined, signal);
const table = (source: string, name: string) => `/sources/${part(source)}/tables/${part(name)}`;
export const showExtents = (source: string, name: string, signal?: AbortSignal) =>
	json<ColumnExtent[]>('GET', table(source, name) + '/extents', undefined, signal);
export const showRows = (source: string, name: string, signal?: AbortSignal) =>
	json<Result>('GET', table(source, name) + '/rows?limit=20', undefined, signal);
/** The values that occur in a column, with how many records have each. */
export const listValues = (source: string, name: string, column: string, search: string, signal?: AbortSignal) =>
	json<Choice[]>(
		'GET',
		`${table(source, name)}/columns/${part(column)}/values?search=${part(search)}`,
		undefined,
		signal,
	);
/** A query and a report of a table to go on from. */
export const beginReport = (source: string, name: string, on = '') =>
	json<Beginning>('GET', `${table(source, name)}/begin?on=${part(on)}`);
/** A query and a report of a statement, and the questions that can take the place of its values. */
export const beginStatement = (source: string, sql: string, asked: string[], signal?: AbortSignal) =>
	json<Beginning>('POST', `/sources/${part(source)}/begin`, { sql, asked }, signal);
/** The records in which a column with dates holds what is none. */
export const showUnfit = (source: string, name: string, column: string) =>
	json<Result>('GET', `${table(source, name)}/unfit/${part(column)}?limit=200`);
/** Some values of a column, and how each would be read in an encoding. */
export const listReadings = (source: string, name: string, column: string, encoding: string, signal?: AbortSignal) =>
	json<StoredValue[]>(
		'GET',
		`${table(source, name)}/columns/${part(column)}/readings?encoding=${part(encoding)}`,
		undefined,
		signal,
	);
/** The definitions that do not fit a source as it is now. */
export const listUnfit = (source: string, signal?: AbortSignal) =>
	json<Unfit[]>('GET', `/sources/${part(source)}/unfit`, undefined, signal);
/** Says how the files of a table are written; what is left out is found from them. */
export const setFile = (source: string, name: string, settings: FileSettings) =>
	json<Source>('PUT', `/sources/${part(source)}/files/${part(name)}`, settings);
export const listUploads = (source: string, signal?: AbortSignal) =>
	json<UploadedFile[]>('GET', `/sources/${part(source)}/uploads`, undefined, signal);
export const removeUpload = (source: string, file: string) =>
	call('DELETE', `/sources/${part(source)}/uploads/${part(file)}`);
/** Sends a file to a source as it is read from the disk; progress is told how much has gone. */
export const uploadFile = (source: string, file: File, replace: boolean, progress: (part: number) => void) =>
	new Promise<Source>((resolve, reject) => {
		const request = new XMLHttpRequest(); // which tells how much was sent, unlike fetch
		request.open('PUT', `api/v1/sources/${part(source)}/uploads/${part(file.name)}?replace=${replace}`);
		request.setRequestHeader('Content-Type', 'application/octet-stream');
		request.responseType = 'json';
		request.upload.onprogress = (e) => progress(e.total ? e.loaded / e.total : 0);
		request.onerror = () => reject(new Refusal({ detail: 'The service does not answer, or broke off.' }));
		request.onload = () => {
			if (request.status < 300) return resolve(request.response);
			if (request.status === 401) account.lost();
			reject(new Refusal(request.response ?? { detail: request.statusText }, request.status));
		};
		request.send(file);
	});
export const setEncoding = (source: string, column: string, encoding: string, anyway: boolean) =>
	json<Source>('PUT', `/sources/${part(source)}/encodings/${part(column)}?anyway=${anyway}`, { encoding });

const definition = (kind: string, name: string) => `/definitions/${part(kind)}/${part(name)}`;
export const listDefinitions = (signal?: AbortSignal) =>
	json<DefinitionInfo[]>('GET', '/definitions', undefined, signal);
export const showDraft = (kind: string, name: string) => json<Schemas['Kept']>('GET', definition(kind, name));
export const showDefinition = async (kind: string, name: string, version = 0) =>
	(await json<Schemas['Kept']>('GET', `${definition(kind, name)}?version=${version}`)).content;
export const listVersions = (kind: string, name: string) =>
	json<Version[]>('GET', definition(kind, name) + '/versions');
export const showDifferences = (kind: string, name: string, from: number, to: number) =>
	json<Difference[]>('GET', `${definition(kind, name)}/differences?from=${from}&to=${to}`);
export const checkDefinitions = (content: string, run: boolean, signal?: AbortSignal) =>
	json<Examination>('POST', `/definitions/check?run=${run}`, { content }, signal);
export const firstResults = (content: string, signal: AbortSignal) =>
	json<Result>('POST', '/definitions/results?limit=20', { content }, signal);
/** The criteria of the first definition that has any, as conditions. */
export const readCriteria = (content: string, signal?: AbortSignal) =>
	json<CriteriaTree>('POST', '/criteria/read', { content }, signal);
/** The criteria with their conditions changed: the text, and its own conditions. */
export const writeCriteria = (content: string, condition: Phrase) =>
	json<CriteriaTree>('POST', '/criteria/write', { content, condition });
/** How many records each condition of a query lets through. */
export const countCriteria = (content: string, anyway: boolean, signal?: AbortSignal) =>
	json<ConditionCounts>('POST', `/criteria/counts?anyway=${anyway}`, { content }, signal);
/** What can be said of values, by their type. */
export const listComparisons = () => json<Record<string, Operator[]>>('GET', '/criteria/comparisons');
/** Keeps definitions; revisions are those of the drafts they were changed from. */
export const pushDefinitions = (content: string, revisions: Record<string, number>, merge = false) =>
	json<Schemas['Checked']>('POST', '/definitions', { content, revisions, merge });
/** Keeps what was saved last under another name. */
export const rename = (r: Omit<Schemas['Renaming'], 'kind'> & { kind: string }) => json<Renamed>('POST', '/names', r);
export const copyDefinition = (kind: string, name: string, to: string) =>
	json<Schemas['Checked']>('POST', '/copies', { kind, name, to });
export const reviewDefinition = (name: string) => json<Review>('GET', '/reviews/' + part(name));
export const publishDefinition = (name: string) =>
	json<Schemas['Checked']>('POST', `/definitions/${part(name)}/publish`);
export const definitionSchema = () => json<object>('GET', '/schema');

/** Who asks, and what they may do. */
export const showMe = () => json<Me>('GET', '/me');
export const waysToSignIn = () => json<Ways>('GET', '/sign-in');
export const signIn = (name: string, password: string, code: string) =>
	call('POST', '/sign-in', { name, password, ...(code ? { code } : {}) });
export const signOut = () => call('POST', '/sign-out');
/** Whose a link is that sets a password. */
export const lookAtLink = (token: string) => json<Schemas['Welcomed']>('POST', '/welcome', { link: token });
export const setPassword = (token: string, password: string) =>
	call('POST', '/welcome/password', { link: token, password });
export const changeMe = (profile: Profile) => json<Me>('PUT', '/me/profile', profile);
export const changePassword = (old: string, password: string) => call('PUT', '/me/password', { old, password });
export const beginFactor = (password: string) => json<Factor>('POST', '/me/second-factor', { password });
export const confirmFactor = (code: string) => json<string[]>('PUT', '/me/second-factor', { code });
export const dropFactor = (password: string) => call('POST', '/me/second-factor/drop', { password });
export const listSessions = (signal?: AbortSignal) => json<Session[]>('GET', '/me/sessions', undefined, signal);
export const endSession = (id: string) => call('DELETE', '/me/sessions/' + part(id));
export const listTokens = (signal?: AbortSignal) => json<Token[]>('GET', '/tokens', undefined, signal);
export const makeToken = (token: NewToken) => json<Token>('POST', '/tokens', token);
export const endToken = (id: number) => call('DELETE', '/tokens/' + id);

export const listUsers = (signal?: AbortSignal) => json<User[]>('GET', '/users', undefined, signal);
export const inviteUser = (user: Partial<User>) => json<Invitation>('POST', '/users', user);
export const changeUser = (name: string, change: UserChange) => json<User>('PATCH', '/users/' + part(name), change);
export const linkUser = (name: string) => json<Invitation>('POST', `/users/${part(name)}/link`);
export const seeAs = (user: string) => call('POST', '/see-as', { user });
export const seeAsOneself = () => call('POST', '/see-as/end');
export const listGroups = (signal?: AbortSignal) => json<Group[]>('GET', '/groups', undefined, signal);
export const saveGroup = (group: Group) =>
	json<Group>('PUT', '/groups/' + part(group.name), { title: group.title ?? '', members: group.members ?? [] });
export const removeGroup = (name: string) => call('DELETE', '/groups/' + part(name));
export const listRights = (signal?: AbortSignal) => json<Grant[]>('GET', '/rights', undefined, signal);
export const giveRight = (grant: Grant) => call('POST', '/rights', grant);
export const takeRight = (grant: Grant) => call('POST', '/rights/take', grant);
export const listReaders = (name: string, signal?: AbortSignal) =>
	json<ReportReader[]>('GET', `/reports/${part(name)}/readers`, undefined, signal);
export type AuditFilter = { who?: string; what?: string; from?: string; until?: string; before?: number };
export const listAudit = (filter: AuditFilter, limit: number, signal?: AbortSignal) => {
	const query = new URLSearchParams({ limit: String(limit) });
	for (const [name, value] of Object.entries(filter)) if (value) query.set(name, String(value));
	return json<AuditEntry[]>('GET', '/audit?' + query, undefined, signal);
};
export const verifyAudit = (head: string) => json<Verified>('GET', '/audit/verify?head=' + part(head));

export const listAnswers = (target: Target, signal?: AbortSignal) =>
	json<SavedAnswers[]>('GET', report(target) + '/answers', undefined, signal);
export const saveAnswers = (target: Target, answers: SavedAnswers) =>
	json<SavedAnswers>('PUT', report(target) + '/answers', answers);
export const removeAnswers = (target: Target, answers: SavedAnswers) =>
	call('DELETE', `${report(target)}/answers/${part(answers.name)}?shared=${answers.shared}`);
/** The first rows of a row rule's table as a user would see them. */
export const previewRule = (content: string, user: string, signal: AbortSignal) =>
	json<Result>('POST', '/definitions/rule-preview?user=' + part(user), { content }, signal);

export const listSchedules = (all: boolean, signal?: AbortSignal) =>
	json<ScheduleInfo[]>('GET', '/schedules?all=' + all, undefined, signal);
export const listNotices = (signal?: AbortSignal) => json<Notice[]>('GET', '/notices', undefined, signal);
