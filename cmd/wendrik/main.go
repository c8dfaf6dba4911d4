// Command wendrik plans the private networks of an organisation and says who reaches whom in them.
package main

import (
	"os"

	"wendrik/internal/cli"
)

func main() { os.Exit(cli.Main(os.Args[1:], os.Stdin, os.Stdout, os.Stderr)) }
