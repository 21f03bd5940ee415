package store

import (
	"strings"

	"github.com/go-gormigrate/gormigrate/v2"
	"gorm.io/gorm"
)

// migrations are the steps from an empty file to today's. A step that has been
// released is never changed, and says what it does in SQL: what our types look
// like today has no part in it.
var migrations = []*gormigrate.Migration{
	step("2026-11-first", `
		create table if not exists sources (name text, engine text, address text, encodings text, created_at datetime, primary key (name));
		create table if not exists drafts (kind text, name text, content text, updated_at datetime, primary key (kind, name));
		create table if not exists versions (kind text, name text, number integer, content text, uses text, published_at datetime, primary key (kind, name, number));
		create table if not exists runs (id integer primary key autoincrement, report text, version integer, outcome text, format text, started_at datetime, as_of text, zone text,
			inputs text, resolved text, read_back text, sql text, args text, count integer, first text, last text, millis integer, problem text);
		create index if not exists idx_runs_report on runs (report);
		create index if not exists idx_runs_started_at on runs (started_at)`),
	columns("2026-11-edges", "runs", "reason text", "edges text"),
	columns("2026-11-servers", "sources", "database text", "user text", "secret text", "tls text"),
	columns("2026-11-order", "runs", "sorted_by text"),
	step("2026-11-prints", `create table if not exists prints (run integer, bytes blob, primary key (run))`),
	steps("2026-11-revisions",
		columns("", "runs", "left_out text"),
		columns("", "drafts", "revision integer"),
		step("", `
			create table if not exists revisions (kind text, name text, revision integer, content text, primary key (kind, name, revision));
			create table if not exists retired (kind text, name text, at datetime, primary key (kind, name));
			update drafts set revision = 1 where revision is null or revision = 0`)),
	// Instants are kept in UTC, so that they sort and compare as text.
	step("2026-11-utc", `
		update runs set started_at = strftime('%Y-%m-%d %H:%M:%f', started_at) || '+00:00' where started_at not like '%+00:00'`),
	columns("2026-11-powerful", "sources", "powerful numeric"),
	step("2026-11-bindings", `create table if not exists bindings (secret text, place text, bound_at datetime, primary key (secret))`),
	steps("2026-11-typed",
		columns("", "runs", "forgotten numeric"),
		step("", `create index if not exists idx_runs_typed on runs (started_at) where forgotten is not 1`)),
	steps("2026-11-people",
		columns("", "runs", "user text", "seen text", "reading text"),
		columns("", "sources", "person numeric"),
		step("", `
			create index if not exists idx_runs_user on runs (user);
			create table if not exists users (name text, display text, email text, language text, zone text, date_order text, week_start text, role text, attributes text, disabled numeric,
				password text, factor blob, confirmed numeric, step integer, recovery text, created_at datetime, provider text, provider_at datetime, primary key (name));
			create unique index if not exists idx_users_provider on users (provider) where provider <> '';
			create table if not exists groups (name text, title text, primary key (name));
			create table if not exists members (group_name text, user text, origin text, primary key (group_name, user));
			create table if not exists grants (kind text, place text, granted text, to_kind text, whom text, primary key (kind, place, to_kind, whom));
			create table if not exists sessions (hash text, user text, begun datetime, seen datetime, address text, client text, primary key (hash));
			create index if not exists idx_sessions_user on sessions (user);
			create table if not exists tokens (id integer primary key autoincrement, hash text unique, user text, name text, scope text, report text, inputs text,
				created datetime, expires datetime, used datetime);
			create index if not exists idx_tokens_user on tokens (user);
			create table if not exists links (hash text, user text, expires datetime, primary key (hash));
			create table if not exists answers (report text, name text, owner text, shared numeric, inputs text, begins numeric, at datetime, primary key (report, name, owner, shared));
			create table if not exists secrets (name text, sealed blob, at datetime, primary key (name));
			create table if not exists settings (key text, value blob, primary key (key));
			create table if not exists audit (number integer, at text, who text, from_address text, what text, done_to text, before text, after text, code text, primary key (number));
			create index if not exists idx_audit_who on audit (who)`)),
	columns("2026-11-years", "users", "missing_year text", "two_digit_years text"),
	steps("2026-11-schedules",
		columns("", "versions", "published_by text not null default ''"),
		step("", `
			create table if not exists schedules (name text, version integer, owner text, own numeric, report text, source text, rule text, zone text, calendar text, missed text, title text, paused text not null default '', paused_by text, paused_at integer,
				next integer, since integer, primary key (name));
			create index if not exists idx_schedules_next on schedules (next) where paused = '' and next > 0;
			create index if not exists idx_schedules_owner on schedules (owner);
			create table if not exists occurrences (id integer primary key autoincrement, schedule text, due integer, repeat integer, version integer, owner text, report text, source text,
				state text, phase text, problem text, as_of text, zone text, attempts integer, failures integer not null default 0, try_at integer, lease text, lease_until integer, started_at integer, ended_at integer);
			create unique index if not exists idx_occurrences_identity on occurrences (schedule, due, repeat);
			create index if not exists idx_occurrences_schedule on occurrences (schedule, id);
			create index if not exists idx_occurrences_run on occurrences (source, owner, try_at, due, id) where phase = 'run';
			create index if not exists idx_occurrences_waiting on occurrences (schedule) where phase = 'run';
			create index if not exists idx_occurrences_ended on occurrences (ended_at) where phase = 'ended';
			create table if not exists parts (occurrence integer, number integer, value text, label text, single numeric, state text, run integer, count integer, first text, last text,
				read_back text, totals text, problem text, read_at integer, primary key (occurrence, number));
			create table if not exists deliveries (id text, occurrence integer, part integer, number integer, owner text, way text, target text, lane text, spec text, format text, file text, sha256 text, bytes integer,
				state text, phase text, attempts integer, failures integer not null default 0, try_at integer, lease text, lease_until integer, problem text, delivered_at integer, told text, primary key (id));
			create index if not exists idx_deliveries_occurrence on deliveries (occurrence);
			create index if not exists idx_deliveries_lane on deliveries (lane, owner, try_at, occurrence, part, number) where phase = 'deliver';
			create index if not exists idx_deliveries_file on deliveries (sha256);
			create index if not exists idx_deliveries_target on deliveries (way, target);
			create index if not exists idx_deliveries_spooled on deliveries (file) where file <> '';
			create table if not exists notices (id integer primary key autoincrement, user text, at integer, schedule text, occurrence integer, words text);
			create index if not exists idx_notices_user on notices (user);
			create table if not exists kept_results (id text, name text, version integer, file text, columns text, schedule text, due integer, value text, occurrence integer, part integer, run integer, records integer, bytes integer, at integer, until integer, primary key (id));
			create unique index if not exists idx_kept_results_identity on kept_results (name, schedule, due, value);
			create table if not exists declined (schedule text, address text, at integer, primary key (schedule, address))`)),
	columns("2026-11-csv", "users", "csv text not null default ''", "guard numeric not null default 0"),
	step("2026-11-answers", `
		create table answers_to (kind text, report text, name text, owner text, shared numeric, inputs text, begins numeric, at datetime, primary key (kind, report, name, owner, shared));
		insert into answers_to select 'report', report, name, owner, shared, inputs, begins, at from answers;
		drop table answers;
		alter table answers_to rename to answers`),
}

// step is a step in SQL, its statements parted by semicolons.
func step(id, sql string) *gormigrate.Migration {
	return &gormigrate.Migration{ID: id, Migrate: func(tx *gorm.DB) error {
		for statement := range strings.SplitSeq(sql, ";") {
			if err := tx.Exec(statement).Error; err != nil {
				return err
			}
		}
		return nil
	}}
}

// columns is a step that adds columns to a table, those that are missing.
func columns(id, table string, added ...string) *gormigrate.Migration {
	return &gormigrate.Migration{ID: id, Migrate: func(tx *gorm.DB) error {
		for _, column := range added {
			var there int
			if err := tx.Raw("select count(*) from pragma_table_info(?) where ? like name || ' %'", table, column).Scan(&there).Error; err != nil {
				return err
			}
			if there > 0 {
				continue
			}
			if err := tx.Exec("alter table " + table + " add column " + column).Error; err != nil {
				return err
			}
		}
		return nil
	}}
}

// steps is several made as one.
func steps(id string, made ...*gormigrate.Migration) *gormigrate.Migration {
	return &gormigrate.Migration{ID: id, Migrate: func(tx *gorm.DB) error {
		for _, m := range made {
			if err := m.Migrate(tx); err != nil {
				return err
			}
		}
		return nil
	}}
}
