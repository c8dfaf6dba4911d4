// Package examples holds the shipped estate, Skerry Line, so that the program carries it along.
package examples

import "embed"

// SkerryLine holds the plan of the made-up ferry operator under skerry-line/.
//
//go:embed skerry-line
var SkerryLine embed.FS
