package demo_test

import (
	"database/sql"
	"path/filepath"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"pikegate/internal/demo"
)

// TestGenerate: the same records at every call, as many as are promised, and
// the awkward moments among them.
func TestGenerate(t *testing.T) {
	data, err := demo.Generate()
	require.NoError(t, err)
	again, err := demo.Generate()
	require.NoError(t, err)
	require.Equal(t, data.Passages[:1000], again.Passages[:1000])
	assert.InDelta(t, 120_000, len(data.Passages), 5_000)

	zone, err := time.LoadLocation(demo.Zone)
	require.NoError(t, err)
	moments := map[string]bool{}
	for _, p := range data.Passages {
		moments[p.PassedAt.In(zone).Format(time.RFC3339)] = true
	}
	for _, want := range []string{
		"2023-01-01T00:00:00Z", "2025-12-31T23:59:59Z", "2025-03-31T23:59:59+01:00", "2025-04-01T00:00:00+01:00",
		"2024-02-29T00:00:00Z", "2024-02-29T23:59:59Z", "2025-10-26T01:30:00+01:00", "2025-10-26T01:30:00Z",
		"2025-03-30T00:59:59Z", "2025-03-30T02:00:00+01:00",
	} {
		assert.True(t, moments[want], "no passage at %s", want)
	}
	late, early := data.Locks[13], data.Locks[2]
	for _, p := range data.Passages {
		if p.LockID == late.ID {
			require.False(t, p.PassedAt.Before(late.OpenedOn), "a passage before the lock opened")
		}
		if p.LockID == early.ID {
			require.False(t, p.PassedAt.After(early.ClosedOn), "a passage after the lock closed")
		}
	}
	blanks := 0
	for _, v := range data.Invoices {
		if v.PaidOn.IsZero() {
			blanks++
		}
	}
	assert.NotZero(t, blanks, "every invoice is paid")
}

func TestPrepareKeepsWhatIsThere(t *testing.T) {
	folder := t.TempDir()
	require.NoError(t, demo.Prepare(folder))
	db, err := sql.Open("sqlite3", filepath.Join(folder, "navigation.db"))
	require.NoError(t, err)
	_, err = db.Exec("delete from passages where id > 10")
	require.NoError(t, err)
	require.NoError(t, db.Close())
	require.NoError(t, demo.Prepare(folder))
	db, err = sql.Open("sqlite3", filepath.Join(folder, "navigation.db"))
	require.NoError(t, err)
	defer db.Close()
	var n int
	require.NoError(t, db.QueryRow("select count(*) from passages").Scan(&n))
	assert.Equal(t, 10, n)
}
