// Rows are packed as they are sent to the service, without making values of them on the way.
#pragma once
#include "interface.h"

// pack_rows steps through a statement and packs its rows, until there are as many bytes as
// are enough or the statement ends: ROW, or what sqlite3_step returned last.
int pack_rows(sqlite3_stmt *, size_t enough);

// packed locks the rows that wait and gives them; taken forgets them.
const char *packed(size_t *length);
void taken(void);

// They bind copies, of which none is no blank.
int bind_text(sqlite3_stmt *, int at, const void *text, int length);
int bind_blob(sqlite3_stmt *, int at, const void *blob, int length);
