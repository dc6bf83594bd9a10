package act

import "context"

type actorKey struct{}

// WithActor is a context in which everything is done by a person, named by what
// their browser is known by.
func WithActor(ctx context.Context, id string) context.Context {
	return context.WithValue(ctx, actorKey{}, id)
}

// ActorOf is who does what is done in a context; "" for the program itself, whose
// edits anybody may undo.
func ActorOf(ctx context.Context) string {
	id, _ := ctx.Value(actorKey{}).(string)
	return id
}
