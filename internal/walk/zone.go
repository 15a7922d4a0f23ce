package walk

import (
	"bytes"
	"encoding/binary"
	"slices"
	"time"
)

// Years of the changes of a time zone that a device takes along: before and after them the first and the
// last offset hold.
const (
	firstYear = 1990
	lastYear  = 2045
)

// ZoneData is a time zone as TZif data of version 2 (RFC 8536), which [time.LoadLocationFromTZData] reads: a
// device has no database of time zones.
func ZoneData(zone *time.Location) []byte {
	type kind struct {
		name   string
		offset int
		dst    bool
	}
	var kinds []kind
	var names []byte
	var at []int64
	var of []byte
	index := func(t time.Time) byte {
		name, offset := t.Zone()
		k := kind{name, offset, t.IsDST()}
		i := slices.Index(kinds, k)
		if i < 0 {
			i = len(kinds)
			kinds = append(kinds, k)
		}
		return byte(i)
	}
	end := time.Date(lastYear, 12, 31, 0, 0, 0, 0, time.UTC)
	t := time.Date(firstYear, 1, 1, 0, 0, 0, 0, time.UTC)
	now := index(t.In(zone))
	// Before the first change a reader takes the first standard time: the beginning is a change, too.
	at, of = append(at, t.Unix()), append(of, now)
	for ; t.Before(end); t = t.Add(24 * time.Hour) {
		if index(t.Add(24*time.Hour).In(zone)) == now {
			continue
		}
		// The second from which on it is another one.
		before, after := t.Unix(), t.Add(24*time.Hour).Unix()
		for after-before > 1 {
			if middle := (before + after) / 2; index(time.Unix(middle, 0).In(zone)) == now {
				before = middle
			} else {
				after = middle
			}
		}
		now = index(time.Unix(after, 0).In(zone))
		at, of = append(at, after), append(of, now)
	}
	var b bytes.Buffer
	header := func(transitions, types, chars int) {
		b.WriteString("TZif2")
		b.Write(make([]byte, 15))
		_ = binary.Write(&b, binary.BigEndian, []uint32{0, 0, 0, uint32(transitions), uint32(types), uint32(chars)}) // a buffer takes all
	}
	places := map[string]byte{}
	for _, k := range kinds {
		if _, there := places[k.name]; !there {
			places[k.name] = byte(len(names))
			names = append(append(names, k.name...), 0)
		}
	}
	// The block of version 1 has one type and no transition; readers of version 2 leave it out.
	header(0, 1, 1)
	b.Write([]byte{0, 0, 0, 0, 0, 0, 0})
	header(len(at), len(kinds), len(names))
	_ = binary.Write(&b, binary.BigEndian, at)
	b.Write(of)
	for _, k := range kinds {
		_ = binary.Write(&b, binary.BigEndian, int32(k.offset))
		dst := byte(0)
		if k.dst {
			dst = 1
		}
		b.Write([]byte{dst, places[k.name]})
	}
	b.Write(names)
	b.WriteString("\n\n")
	return b.Bytes()
}
