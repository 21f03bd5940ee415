// The aggregate decimal_sum, which SQLite gets in each connection that is opened after
// register_decimal_sum.
#pragma once
int register_decimal_sum(void);
