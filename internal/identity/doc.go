// Package identity knows who asks: it signs people in, keeps their sessions and
// tokens, and is the only maker of actors, which every use case takes. What an actor
// may do is worked out here from roles, groups and grants; where it is asked for is
// the business of the use cases.
package identity
