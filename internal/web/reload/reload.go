// Package reload has a test alone, which is impatient with lists of ten thousand units. It has no use under the race detector, where
// the server alone does the work.
package reload
