package web

import (
	"reflect"
	"time"

	openapi "github.com/oapi-codegen/runtime/types"
)

// inZone gives every moment of an answer the offset of a zone, so that its first ten
// characters are the day there. Dates of the calendar stay as they are. answer is a
// pointer.
func inZone(answer any, zone *time.Location) { moveTo(reflect.ValueOf(answer).Elem(), zone) }

func moveTo(v reflect.Value, zone *time.Location) {
	switch v.Kind() {
	case reflect.Pointer:
		if !v.IsNil() {
			moveTo(v.Elem(), zone)
		}
	case reflect.Slice:
		if v.Type().Elem().Kind() == reflect.Uint8 {
			return // JSON as it was stored
		}
		for i := range v.Len() {
			moveTo(v.Index(i), zone)
		}
	case reflect.Struct:
		switch at := v.Addr().Interface().(type) {
		case *openapi.Date:
		case *time.Time:
			if !at.IsZero() {
				*at = at.In(zone)
			}
		default:
			for i := range v.NumField() {
				if v.Type().Field(i).IsExported() {
					moveTo(v.Field(i), zone)
				}
			}
		}
	}
}
