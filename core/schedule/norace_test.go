//go:build !race

package schedule_test

// instances of the laws; each draws every kind of bay, skill, absence, stock, hard night, pin and earlier place.
const instances = 10_000
