//go:build race

package schedule_test

// The race detector slows the laws twentyfold, and they have nothing to race with: ./test runs all instances without it.
const instances = 1_000
