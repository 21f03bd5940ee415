// What is called of SQLite's interface (https://sqlite.org/c3ref/intro.html), which is
// linked with the driver: weak, so that this package can be linked by itself.
#pragma once
#include <stddef.h>
#include <stdint.h>

typedef struct sqlite3 sqlite3;
typedef struct sqlite3_stmt sqlite3_stmt;
typedef struct sqlite3_context sqlite3_context;
typedef struct sqlite3_value sqlite3_value;
#define WEAK __attribute__((weak))
extern WEAK void *sqlite3_aggregate_context(sqlite3_context *, int);
extern WEAK int sqlite3_value_type(sqlite3_value *);
extern WEAK int64_t sqlite3_value_int64(sqlite3_value *);
extern WEAK double sqlite3_value_double(sqlite3_value *);
extern WEAK void sqlite3_result_int64(sqlite3_context *, int64_t);
extern WEAK void sqlite3_result_text(sqlite3_context *, const char *, int, void (*)(void *));
extern WEAK void sqlite3_result_error_nomem(sqlite3_context *);
extern WEAK int sqlite3_auto_extension(void (*)(void));
extern WEAK int sqlite3_create_window_function(sqlite3 *, const char *, int, int, void *,
	void (*step)(sqlite3_context *, int, sqlite3_value **), void (*final)(sqlite3_context *), void (*value)(sqlite3_context *),
	void (*inverse)(sqlite3_context *, int, sqlite3_value **), void (*)(void *));
extern WEAK int sqlite3_prepare_v2(sqlite3 *, const char *, int, sqlite3_stmt **, const char **);
extern WEAK int sqlite3_bind_parameter_count(sqlite3_stmt *);
extern WEAK int sqlite3_bind_null(sqlite3_stmt *, int);
extern WEAK int sqlite3_bind_int64(sqlite3_stmt *, int, int64_t);
extern WEAK int sqlite3_bind_double(sqlite3_stmt *, int, double);
extern WEAK int sqlite3_bind_text(sqlite3_stmt *, int, const char *, int, void (*)(void *));
extern WEAK int sqlite3_bind_blob(sqlite3_stmt *, int, const void *, int, void (*)(void *));
extern WEAK int sqlite3_step(sqlite3_stmt *);
extern WEAK int sqlite3_reset(sqlite3_stmt *);
extern WEAK int sqlite3_clear_bindings(sqlite3_stmt *);
extern WEAK int sqlite3_finalize(sqlite3_stmt *);
extern WEAK int sqlite3_column_count(sqlite3_stmt *);
extern WEAK int sqlite3_column_type(sqlite3_stmt *, int);
extern WEAK int64_t sqlite3_column_int64(sqlite3_stmt *, int);
extern WEAK double sqlite3_column_double(sqlite3_stmt *, int);
extern WEAK const void *sqlite3_column_blob(sqlite3_stmt *, int);
extern WEAK const unsigned char *sqlite3_column_text(sqlite3_stmt *, int);
extern WEAK int sqlite3_column_bytes(sqlite3_stmt *, int);
extern WEAK const char *sqlite3_errmsg(sqlite3 *);
extern WEAK void sqlite3_interrupt(sqlite3 *);

enum { OK = 0, NO_MEMORY = 7, ROW = 100, DONE = 101 };               // what came of a call
enum { INTEGER = 1, FLOAT = 2, TEXT = 3, BLOB = 4 };                 // the kinds of values
enum { UTF8 = 1, DETERMINISTIC = 0x800, INNOCUOUS = 0x200000 };      // what functions are
#define TRANSIENT ((void (*)(void *)) - 1)                           // a text is copied
