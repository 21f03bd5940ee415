// The calls of schedules.
import { call, json, part, type ScheduleInfo, type Schemas } from '../lib/api';

export type ScheduleDetail = Schemas['ScheduleDetail'];
export type OwnSchedule = Schemas['OwnSchedule'];
export type DueAt = Schemas['DueAt'];
export type Occurrence = Schemas['Occurrence'];
export type OccurrenceSummary = Schemas['OccurrenceSummary'];
export type OccurrencePart = Schemas['OccurrencePart'];
export type DeliveryRecord = Schemas['DeliveryRecord'];
export type Destinations = Schemas['Destinations'];

const schedule = (name: string) => '/schedules/' + part(name);
export const showSchedule = (name: string, signal?: AbortSignal) =>
	json<ScheduleDetail>('GET', schedule(name), undefined, signal);
/** When a schedule of one's own would be due, and what its answers would mean; nothing is kept. */
export const previewSchedule = (own: OwnSchedule, signal?: AbortSignal) =>
	json<ScheduleDetail>('POST', '/schedule-preview', own, signal);
export const makeSchedule = (own: OwnSchedule) => json<ScheduleInfo>('POST', '/schedules', own);
export const removeSchedule = (name: string) => call('DELETE', schedule(name));
export const pauseSchedule = (name: string) => json<ScheduleInfo>('POST', schedule(name) + '/pause', {});
export const resumeSchedule = (name: string) => json<ScheduleInfo>('POST', schedule(name) + '/resume');
/** Runs a schedule now, or again for a time at which it was due. */
export const runSchedule = (name: string, due?: string) =>
	json<OccurrenceSummary>('POST', schedule(name) + '/run', due ? { due } : {});
export const showOccurrence = (id: number, signal?: AbortSignal) =>
	json<Occurrence>('GET', '/occurrences/' + id, undefined, signal);
export const cancelOccurrence = (id: number) => call('POST', `/occurrences/${id}/cancel`);
export const dropNotice = (number: number) => call('DELETE', '/notices/' + number);
export const listDestinations = (signal?: AbortSignal) => json<Destinations>('GET', '/destinations', undefined, signal);
/** Gives the schedules of somebody to somebody else. */
export const handOver = (from: string, to: string) =>
	json<ScheduleInfo[]>('POST', `/users/${part(from)}/hand-over`, { to });
