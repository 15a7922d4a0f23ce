// Package reload holds one test, which reloads lists of 10,000 units. It does not run under the race detector: the
// server alone does the work.
package reload
