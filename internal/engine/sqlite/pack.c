#include "pack.h"

#include <pthread.h>
#include <stdlib.h>
#include <string.h>

// The kinds of values as engine.AppendValue writes them.
enum { IS_NIL, IS_INT, IS_FLOAT, IS_FALSE, IS_TRUE, IS_TEXT, IS_BYTES };

// KEPT is how much room is kept when the rows are taken: a large row is not often followed by
// others.
#define KEPT (1 << 20)

static pthread_mutex_t lock = PTHREAD_MUTEX_INITIALIZER; // guards the rest
static char *bytes;
static size_t length, room;

// make_room makes room for so many bytes; 0 where there is none.
static int make_room(size_t more) {
	if (length + more <= room) {
		return 1;
	}
	size_t wanted = room + room / 2 + more;
	char *grown = realloc(bytes, wanted);
	if (grown == NULL) {
		return 0;
	}
	bytes = grown;
	room = wanted;
	return 1;
}

// put_number writes a number of any size, 10 bytes at the most, as encoding/binary's
// AppendUvarint does.
static void put_number(uint64_t n) {
	while (n >= 0x80) {
		bytes[length++] = (char)(n | 0x80);
		n >>= 7;
	}
	bytes[length++] = (char)n;
}

// put_bytes writes bytes behind their kind and their number.
static int put_bytes(char kind, const void *from, int n) {
	if (!make_room((size_t)n + 11)) {
		return 0;
	}
	bytes[length++] = kind;
	put_number((uint64_t)n);
	if (n > 0) {
		memcpy(bytes + length, from, (size_t)n);
	}
	length += (size_t)n;
	return 1;
}

// put_value packs a value of the row that a statement is at; 0 where there is no memory.
static int put_value(sqlite3_stmt *statement, int i) {
	if (!make_room(11)) {
		return 0;
	}
	switch (sqlite3_column_type(statement, i)) {
	case INTEGER: {
		int64_t n = sqlite3_column_int64(statement, i);
		bytes[length++] = IS_INT;
		put_number(((uint64_t)n << 1) ^ (uint64_t)(n >> 63)); // as AppendVarint does
		return 1;
	}
	case FLOAT: {
		double x = sqlite3_column_double(statement, i);
		bytes[length++] = IS_FLOAT;
		memcpy(bytes + length, &x, sizeof x); // as the machine has it: the service is on the same
		length += sizeof x;
		return 1;
	}
	case TEXT: {
		const void *text = sqlite3_column_text(statement, i);
		return text != NULL && put_bytes(IS_TEXT, text, sqlite3_column_bytes(statement, i));
	}
	case BLOB: {
		const void *blob = sqlite3_column_blob(statement, i);
		return put_bytes(IS_BYTES, blob, sqlite3_column_bytes(statement, i));
	}
	}
	bytes[length++] = IS_NIL;
	return 1;
}

int pack_rows(sqlite3_stmt *statement, size_t enough) {
	int columns = sqlite3_column_count(statement);
	for (;;) {
		int came = sqlite3_step(statement); // not locked: others look for rows meanwhile
		if (came != ROW) {
			return came;
		}
		pthread_mutex_lock(&lock);
		size_t start = length;
		int whole = make_room(10);
		if (whole) {
			put_number((uint64_t)columns);
		}
		for (int i = 0; i < columns && whole; i++) {
			whole = put_value(statement, i);
		}
		if (!whole) {
			length = start;
		}
		int full = length >= enough;
		pthread_mutex_unlock(&lock);
		if (!whole) {
			return NO_MEMORY;
		}
		if (full) {
			return ROW;
		}
	}
}

int bind_text(sqlite3_stmt *statement, int at, const void *text, int n) {
	return sqlite3_bind_text(statement, at, text == NULL ? "" : text, n, TRANSIENT);
}

int bind_blob(sqlite3_stmt *statement, int at, const void *blob, int n) {
	return sqlite3_bind_blob(statement, at, blob == NULL ? "" : blob, n, TRANSIENT);
}

const char *packed(size_t *n) {
	pthread_mutex_lock(&lock);
	*n = length;
	return bytes;
}

void taken(void) {
	length = 0;
	if (room > KEPT) {
		free(bytes);
		bytes = NULL;
		room = 0;
	}
	pthread_mutex_unlock(&lock);
}
