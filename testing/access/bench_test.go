package access

import (
	"io"
	"net/http"
	"slices"
	"strings"
	"sync"
	"testing"
	"time"

	"github.com/stretchr/testify/require"

	"pikegate/internal/identity"
)

// BenchmarkRequest measures what knowing who asks adds to a small request, at 1 and at 64
// callers, against a service without users in the same rounds: in microseconds, by the
// medians. It should be at most 200.
func BenchmarkRequest(b *testing.B) {
	anybody := open(b).nobody()
	g := open(b)
	ada := g.administrator("ada")
	token := ada.makeToken(map[string]any{"name": "script"})
	kinds := []struct {
		name string
		*caller
	}{{"open", anybody}, {"session", ada}, {"token", token}}
	http.DefaultTransport.(*http.Transport).MaxIdleConnsPerHost = 100
	for _, callers := range []struct {
		name string
		n    int
	}{{"1", 1}, {"64", 64}} {
		b.Run("callers="+callers.name, func(b *testing.B) {
			took := map[string][]time.Duration{}
			for b.Loop() {
				for range 20 {
					for _, k := range kinds {
						took[k.name] = append(took[k.name], k.together(b, callers.n, 640/callers.n)...)
					}
				}
			}
			base := median(took["open"])
			b.ReportMetric(float64(base.Microseconds()), "open-us")
			for _, k := range kinds[1:] {
				b.ReportMetric(float64((median(took[k.name])-base).Nanoseconds())/1000, k.name+"-adds-us")
			}
			b.ReportMetric(0, "ns/op")
		})
	}
}

// together has so many callers make so many requests each, and tells how long each took.
func (c *caller) together(b *testing.B, callers, requests int) []time.Duration {
	var mu sync.Mutex
	var wait sync.WaitGroup
	var all []time.Duration
	for range callers {
		wait.Go(func() {
			var own []time.Duration
			for range requests {
				started := time.Now()
				response, err := http.DefaultTransport.RoundTrip(c.request(b.Context(), "GET", prefix+"/period?expression=today", nil))
				if err != nil {
					b.Error(err)
					return
				}
				_, _ = io.Copy(io.Discard, response.Body)
				response.Body.Close()
				own = append(own, time.Since(started))
			}
			mu.Lock()
			defer mu.Unlock()
			all = slices.Concat(all, own)
		})
	}
	wait.Wait()
	return all
}

// BenchmarkRule measures an export under a row rule against one with the same condition
// written into its criteria, in the same rounds. The ratio should be at most 1.05.
func BenchmarkRule(b *testing.B) {
	g := open(b)
	db := business(b, g)
	_, err := db.Exec("with recursive n(i) as (select 1000 union all select i + 1 from n where i < 300000) insert into tolls select i, date('2026-01-01', '+' || (i % 300) || ' days'), 'lock ' || (i % 3), i from n")
	require.NoError(b, err)
	ada := g.administrator("ada")
	for _, group := range []string{"keepers", "office"} {
		ada.must("PUT", "/groups/"+group, map[string]any{"members": []string{}})
	}
	keeper, clerk := ada.invite("kit", identity.Reader, "keepers"), ada.invite("cleo", identity.Reader, "office")
	for _, name := range []string{"kit", "cleo"} {
		ada.give("run", "dues", name)
	}
	ada.must("PATCH", "/users/kit", map[string]any{"attributes": map[string][]string{"locks": {"lock 1"}}})
	ada.publish("kind: rule\nname: own\nsource: tolls\non: tolls\nfor: [keepers]\ncriteria: lock in :user.locks\nunrestricted: [office]\n", "own")
	ada.publish(strings.ReplaceAll(tolls("fixed", "dues"), "lock = :lock", "(lock = :lock and lock in ('lock 1'))"), "fixed")
	export := func(c *caller, report string) (time.Duration, int64) {
		started := time.Now()
		response, err := http.DefaultTransport.RoundTrip(c.request(b.Context(), "POST", prefix+"/reports/"+report+"/runs?format=csv", "{}"))
		require.NoError(b, err)
		defer response.Body.Close()
		n, err := io.Copy(io.Discard, response.Body)
		require.NoError(b, err)
		return time.Since(started), n
	}
	var ruled, written []time.Duration
	for b.Loop() {
		for range 7 {
			r, n := export(keeper, "tolls")
			w, m := export(clerk, "fixed")
			require.Equal(b, n, m, "the same records")
			ruled, written = append(ruled, r), append(written, w)
		}
	}
	b.ReportMetric(median(ruled).Seconds()/median(written).Seconds(), "of-by-hand")
	b.ReportMetric(0, "ns/op")
}
