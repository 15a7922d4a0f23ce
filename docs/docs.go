// Package docs holds the documents that the application shows beside its sums.
package docs

import "embed"

// Files are the documents on the sums of the Bench and on the limits.
//
//go:embed bench.md limits.md
var Files embed.FS
