//go:build race

package demo

// The race detector slows the fold tenfold, and there is nothing to race with: ./test runs every day without it.
const everyDay = false
