// Package api is the contract: openapi.yaml, written by hand, and the types and
// routes generated from it. Change the yaml, run go generate ./api, and commit
// both; ./test fails when they are stale.
package api

import _ "embed"

//go:generate go tool oapi-codegen -config oapi-codegen.yaml openapi.yaml
//go:generate npm --prefix ../ui run --silent generate

// Document is openapi.yaml as served and validated against.
//
//go:embed openapi.yaml
var Document []byte
