//go:build !race

package demo

const everyDay = true
