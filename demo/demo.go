// Package demo holds Skerry Line, an invented ferry company, as files.
package demo

import "embed"

// Files are the demo's files.
//
//go:embed *.yaml estate/*.yaml drivers offered
var Files embed.FS
