#include "extend.h"

sqlite3 *opened;

static int extend(sqlite3 *db, char **problem, const void *interface) {
	opened = db;
	return add_decimal_sum(db);
}

int register_extensions(void) { return sqlite3_auto_extension((void (*)(void))extend); }
