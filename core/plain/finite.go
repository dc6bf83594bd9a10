package plain

import (
	"encoding/json"
	"math"
	"reflect"
	"strings"
)

var marshaler = reflect.TypeFor[json.Marshaler]()

// finite walks as encoding/json does: fields by their tags, embedded structs as
// if their fields were here.
func finite(v any) any { return walk(reflect.ValueOf(v)) }

func walk(v reflect.Value) any {
	switch v.Kind() {
	case reflect.Invalid:
		return nil
	case reflect.Pointer, reflect.Interface:
		if v.IsNil() {
			return nil
		}
		if v.Kind() == reflect.Pointer && v.Type().Implements(marshaler) && v.Elem().Kind() != reflect.Struct {
			return v.Interface()
		}
		return walk(v.Elem())
	case reflect.Float32, reflect.Float64:
		if x := v.Float(); math.IsNaN(x) || math.IsInf(x, 0) {
			return nil
		}
	case reflect.Struct:
		if v.Type().Implements(marshaler) || reflect.PointerTo(v.Type()).Implements(marshaler) {
			return v.Interface()
		}
		out := map[string]any{}
		fields(v, out)
		return out
	case reflect.Map:
		if v.IsNil() || v.Type().Key().Kind() != reflect.String {
			return v.Interface()
		}
		out := make(map[string]any, v.Len())
		for _, k := range v.MapKeys() {
			out[k.String()] = walk(v.MapIndex(k))
		}
		return out
	case reflect.Slice, reflect.Array:
		if v.Type().Elem().Kind() == reflect.Uint8 || v.Kind() == reflect.Slice && v.IsNil() ||
			v.Type().Implements(marshaler) {
			return v.Interface() // bytes, raw JSON, null
		}
		out := make([]any, v.Len())
		for i := range out {
			out[i] = walk(v.Index(i))
		}
		return out
	}
	return v.Interface()
}

func fields(v reflect.Value, into map[string]any) {
	t := v.Type()
	for i := range t.NumField() {
		f := t.Field(i)
		name, opts, _ := strings.Cut(f.Tag.Get("json"), ",")
		if name == "-" || !f.IsExported() && !f.Anonymous {
			continue
		}
		x := v.Field(i)
		if f.Anonymous && name == "" {
			for x.Kind() == reflect.Pointer && !x.IsNil() {
				x = x.Elem()
			}
			if x.Kind() == reflect.Struct {
				inner := map[string]any{}
				fields(x, inner)
				for k, val := range inner {
					if _, outer := into[k]; !outer {
						into[k] = val
					}
				}
				continue
			}
		}
		if name == "" {
			name = f.Name
		}
		if strings.Contains(opts, "omitempty") && x.IsZero() {
			continue
		}
		into[name] = walk(x)
	}
}
