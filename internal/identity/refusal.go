package identity

import (
	"time"

	"pikegate/core/diag"
)

// Refusal says why somebody is not let in, or may not do something.
type Refusal struct {
	Reason  Reason
	Problem diag.Problem
	// After is how long to wait before it can be tried again; 0 says nothing.
	After time.Duration
}

// Reason is the kind of a refusal.
type Reason int

// The kinds of refusals: nobody is known to have asked; who asked may not; it was
// tried too often.
const (
	Unknown Reason = iota + 1
	Forbidden
	TooOften
)

func (r *Refusal) Error() string { return r.Problem.Message }

// Nobody refuses a request that says of nobody who asks.
func Nobody() *Refusal {
	return &Refusal{Reason: Unknown, Problem: diag.Problem{
		Code: "not_signed_in", Message: "The service has to know who asks.", Hint: "Sign in, in the console or with pikegate sign-in.",
	}}
}

func wrongSignIn() *Refusal {
	return &Refusal{Reason: Unknown, Problem: diag.Problem{
		Code: "wrong_sign_in", Message: "The name, the password or the code is not right.", Hint: "Type them again. An administrator can give you a link to set a new password.",
	}}
}
