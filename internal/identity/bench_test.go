package identity

import "testing"

// BenchmarkSignIn: one hash takes about 50 ms, on purpose.
func BenchmarkSignIn(b *testing.B) {
	h := newHasher()
	for b.Loop() {
		if _, err := h.matches(b.Context(), "nine barges at the lock", ""); err != nil {
			b.Fatal(err)
		}
	}
}
