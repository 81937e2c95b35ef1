// Command readymargin-voice says one text for readymargin, and tells when each of its
// words is said. It is a program of its own because it loads a library.
package main

import (
	"fmt"
	"os"

	"readymargin/voice/child"
)

func main() {
	if err := child.Serve(os.Stdin, os.Stdout); err != nil {
		fmt.Fprintln(os.Stderr, "readymargin-voice:", err)
		os.Exit(1)
	}
}
