// Package edit is what a person can do to a set: an op is a type whose fields are its arguments and
// whose method does it; a family is a table of ops by name, in a file of its own.
package edit

import (
	"encoding/json"
	"maps"
	"reflect"
	"slices"
	"strings"

	"visator/app/act"
	"visator/app/desk"
	"visator/core/plain"
)

// feeling is part of the arguments of an op that feels where things touch.
type feeling struct{}

// Feels says so.
func (feeling) Feels() bool { return true }

// family is ops that belong together, by name: each makes new arguments, as they are where
// nothing is said.
type family map[string]func() desk.Op

// of is the op whose arguments are a T.
func of[T any, P interface {
	*T
	desk.Op
}]() desk.Op {
	return P(new(T))
}

// ops are all there are.
var ops = func() family {
	all := family{}
	for _, f := range []family{placing, dressing, describing, keeping, sizes, filming, lighting, surfacing, taking} {
		maps.Copy(all, f)
	}
	return all
}()

// named are their names, by the type of their arguments.
var named = func() map[reflect.Type]string {
	all := map[reflect.Type]string{}
	for name, create := range ops {
		all[reflect.TypeOf(arguments(create()))] = name
	}
	return all
}()

// arguments are what of an op is told.
func arguments(o desk.Op) any {
	if f, ok := o.(filmed); ok {
		return f.film
	}
	return o
}

// Arguments are those of an op, as they are where nothing is said; nil when there is none.
func Arguments(name string) any {
	if create := ops[name]; create != nil {
		return arguments(create())
	}
	return nil
}

// Ops are the names of all ops.
func Ops() []string { return slices.Sorted(maps.Keys(ops)) }

// Do is the command whose arguments are of the type of an op, such as *Place.
func Do(args any) desk.Command {
	raw, err := json.Marshal(args)
	if err != nil { // a number that JSON has not: it is refused as text
		raw = []byte(err.Error())
	}
	return desk.Command{Op: named[reflect.TypeOf(args)], Args: raw}
}

// Of is what a command does, with its arguments; what nobody knows is refused.
func Of(c *desk.Command) (desk.Op, error) {
	create := ops[c.Op]
	if create == nil {
		return nil, act.Wrong("%.40q is nothing that an edit does", c.Op)
	}
	o := create()
	if len(c.Args) == 0 {
		return o, nil
	}
	if err := plain.JSON(c.Args); err != nil {
		return nil, act.Wrong("The edit cannot be taken: %v", err)
	}
	if err := plain.Read(c.Args, arguments(o)); err != nil {
		return nil, act.Wrong("The edit %s cannot be read: %s", c.Op, strings.TrimPrefix(err.Error(), "json: "))
	}
	return o, nil
}
