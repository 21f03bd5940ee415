package access

import (
	"fmt"
	"sync"
	"testing"

	"github.com/stretchr/testify/assert"

	"pikegate/internal/wire"
)

// TestTogether: while one administrator gives and takes rights, and another disables and
// enables a reader, both readers go on with what they do, and each request is answered by
// the rights of one moment, or says that it was ended. The race detector looks on in `make test`.
func TestTogether(t *testing.T) {
	g := open(t)
	ada := g.administrator("ada")
	bea, rob, eve := ada.invite("bea", "administrator"), ada.invite("rob", "reader"), ada.invite("eve", "reader")
	ada.give("run", "dues", "rob")
	ada.give("run", "dues", "eve")
	token := eve.makeToken(map[string]any{"name": "script"})
	run := func(c *caller) int {
		return c.call("POST", "/reports/tolls/runs?format=json", `{"inputs": {"period": "2026-02"}}`).status
	}
	var all sync.WaitGroup
	often := func(what func(i int)) {
		all.Go(func() {
			for i := range 12 {
				what(i)
			}
		})
	}
	often(func(int) {
		ada.must("POST", "/rights/take", map[string]any{"right": "run", "folder": "dues", "user": "rob"})
		ada.give("run", "dues", "rob")
	})
	often(func(int) {
		bea.must("PATCH", "/users/eve", map[string]any{"disabled": true})
		bea.must("PATCH", "/users/eve", map[string]any{"disabled": false})
	})
	often(func(int) { assert.Contains(t, []int{200, 404}, run(rob)) })
	often(func(int) { assert.Contains(t, []int{200, 401, 503}, token.call("GET", "/reports", nil).status) })
	often(func(i int) {
		made := rob.makeToken(map[string]any{"name": fmt.Sprint("token ", i)})
		var list []wire.Token
		g.into(rob.must("GET", "/tokens", nil), &list)
		rob.must("DELETE", fmt.Sprintf("/tokens/%d", list[0].ID), nil)
		made.refused(401, "not_signed_in", "GET", "/me", nil)
	})
	often(func(int) { bea.must("GET", "/audit/verify", nil) })
	all.Wait()
	assert.Equal(t, 200, run(rob), "the right was given last")
	assert.Equal(t, 200, run(token), "enabled last")
}
