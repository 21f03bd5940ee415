package engine

import "context"

type personKey struct{}

// WithPerson has databases that are told who asks be told this name.
func WithPerson(ctx context.Context, name string) context.Context {
	return context.WithValue(ctx, personKey{}, name)
}

// PersonOf is who asks, blank for nobody: the service itself, or the open state.
func PersonOf(ctx context.Context) string {
	name, _ := ctx.Value(personKey{}).(string)
	return name
}
