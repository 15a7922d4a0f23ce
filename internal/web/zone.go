package web

import (
	"reflect"
	"sync"
	"time"

	openapi "github.com/oapi-codegen/runtime/types"
)

// inZone gives every moment of an answer the offset of a zone, so that its first ten
// characters are the day there. Dates of the calendar stay as they are. answer is a
// pointer to a value that no one else holds; what it points to further on may be shared with other answers, and is
// copied.
func inZone(answer any, zone *time.Location) { moveTo(reflect.ValueOf(answer).Elem(), zone) }

func moveTo(v reflect.Value, zone *time.Location) {
	if !holdsMoments(v.Type()) {
		return
	}
	switch v.Kind() {
	case reflect.Pointer:
		if !v.IsNil() {
			own := reflect.New(v.Type().Elem())
			own.Elem().Set(v.Elem())
			moveTo(own.Elem(), zone)
			v.Set(own)
		}
	case reflect.Slice:
		if v.IsNil() {
			return
		}
		own := reflect.MakeSlice(v.Type(), v.Len(), v.Len())
		reflect.Copy(own, v)
		for i := range own.Len() {
			moveTo(own.Index(i), zone)
		}
		v.Set(own)
	case reflect.Struct:
		if at, is := v.Addr().Interface().(*time.Time); is {
			if !at.IsZero() {
				*at = at.In(zone)
			}
			return
		}
		for i := range v.NumField() {
			if v.Type().Field(i).IsExported() {
				moveTo(v.Field(i), zone)
			}
		}
	}
}

// moments remembers by type whether it holds any.
var moments sync.Map

// holdsMoments reports whether a value of the type holds a moment that [inZone] moves; of a type that holds
// itself, once it is found.
func holdsMoments(of reflect.Type) bool {
	if known, ok := moments.Load(of); ok {
		return known.(bool)
	}
	holds := looksForMoments(of, map[reflect.Type]bool{})
	moments.Store(of, holds)
	return holds
}

func looksForMoments(of reflect.Type, seen map[reflect.Type]bool) bool {
	if seen[of] {
		return false
	}
	seen[of] = true
	switch of {
	case reflect.TypeFor[time.Time]():
		return true
	case reflect.TypeFor[openapi.Date]():
		return false
	}
	switch of.Kind() {
	case reflect.Pointer, reflect.Slice:
		return looksForMoments(of.Elem(), seen)
	case reflect.Struct:
		for i := range of.NumField() {
			if f := of.Field(i); f.IsExported() && looksForMoments(f.Type, seen) {
				return true
			}
		}
	}
	return false
}
