// What each connection has that is opened after register_extensions: the aggregate
// decimal_sum, and a place from where its rows are packed.
#pragma once
#include "interface.h"
int register_extensions(void);
int add_decimal_sum(sqlite3 *);

// opened is the connection that was opened last; a worker opens one.
extern sqlite3 *opened;
