// decimal_sum(x) adds numbers up as the decimals that they are written as, whatever their
// size. It is C since it is called for each record: SQLite's own sum() fails when whole
// numbers run over and cuts fractions to binary ones, and four of its aggregates that get
// round that take three times as long.

#include "extend.h"

#include <math.h>
#include <stdlib.h>
#include <string.h>

#include "_cgo_export.h"

// SCALE is how finely fractions are counted here; what has more places goes to Go.
#define SCALE 1000000

struct sum {
	__int128 whole;
	__int128 scaled; // of fractions, in parts of SCALE
	int64_t numbers; // how many were added
	uintptr_t rest;  // what Go has added up, 0 for nothing
};

// add_fraction adds the decimal that a binary fraction is written as. Up to 2^53 a number of
// parts has at most 16 digits, and where dividing it gives the fraction back it is the one
// that is written.
static void add_fraction(struct sum *sum, double x, int sign) {
	double parts = nearbyint(x * SCALE);
	if (fabs(parts) < 1e15 && parts / SCALE == x) {
		sum->scaled += sign * (int64_t)parts;
	} else if (isfinite(x)) {
		sum->rest = addRest(sum->rest, sign * x);
	} else {
		return; // it is no number
	}
	sum->numbers += sign;
}

// add takes a value in or, with the sign -1, out again.
static void add(sqlite3_context *context, sqlite3_value **values, int sign) {
	struct sum *sum = sqlite3_aggregate_context(context, sizeof *sum);
	if (sum == NULL) {
		sqlite3_result_error_nomem(context);
		return;
	}
	switch (sqlite3_value_type(values[0])) {
	case INTEGER:
		sum->whole += sign * (__int128)sqlite3_value_int64(values[0]);
		sum->numbers += sign;
		break;
	case FLOAT:
		add_fraction(sum, sqlite3_value_double(values[0]), sign);
	}
}

static void step(sqlite3_context *context, int n, sqlite3_value **values) { add(context, values, 1); }
static void inverse(sqlite3_context *context, int n, sqlite3_value **values) { add(context, values, -1); }

// value gives a whole number where it is one that fits, else a text of every digit; blank
// where there were no numbers.
static void value(sqlite3_context *context) {
	struct sum *sum = sqlite3_aggregate_context(context, 0);
	if (sum == NULL || sum->numbers == 0) {
		return;
	}
	__int128 parts = sum->whole * SCALE + sum->scaled;
	char digits[64], *at = digits + sizeof digits;
	__int128 left = parts < 0 ? -parts : parts;
	int places = 6;
	for (; places > 0 && left % 10 == 0; places--) {
		left /= 10;
	}
	if (sum->rest == 0 && places == 0 && left <= INT64_MAX) {
		sqlite3_result_int64(context, (int64_t)(parts < 0 ? -left : left));
		return;
	}
	for (int n = 0; left > 0 || n <= places; n++) {
		if (n == places && places > 0) {
			*--at = '.';
		}
		*--at = (char)('0' + (int)(left % 10));
		left /= 10;
	}
	if (parts < 0) {
		*--at = '-';
	}
	int length = (int)(digits + sizeof digits - at);
	if (sum->rest == 0) {
		sqlite3_result_text(context, at, length, TRANSIENT);
		return;
	}
	char *text = withRest(sum->rest, at, length);
	sqlite3_result_text(context, text, (int)strlen(text), free);
}

static void final(sqlite3_context *context) {
	value(context);
	struct sum *sum = sqlite3_aggregate_context(context, 0);
	if (sum != NULL && sum->rest != 0) {
		forgetRest(sum->rest);
	}
}

int add_decimal_sum(sqlite3 *db) {
	return sqlite3_create_window_function(db, "decimal_sum", 1, UTF8 | DETERMINISTIC | INNOCUOUS, NULL, step, final, value, inverse, NULL);
}
