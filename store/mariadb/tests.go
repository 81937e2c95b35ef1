package mariadb

import (
	"context"
	"fmt"
	"os"
)

// Tests runs a package's tests over a server of their own, for TestMain, and
// returns the code to exit with. begin is told the server before they run.
func Tests(m interface{ Run() int }, begin func(*Server)) int {
	dir, err := os.MkdirTemp("", "readymargin-tests-*")
	if err != nil {
		fmt.Fprintln(os.Stderr, err)
		return 1
	}
	defer os.RemoveAll(dir)
	server, err := Start(context.Background(), dir)
	if err != nil {
		fmt.Fprintln(os.Stderr, err)
		return 1
	}
	defer server.Stop()
	begin(server)
	return m.Run()
}
