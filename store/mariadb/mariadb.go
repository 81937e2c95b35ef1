// Package mariadb runs a private MariaDB server from Debian's mariadb-server
// on loopback, with its data in a folder of the project's, flushing at every
// commit. It is for the demo and the tests; in production the database is
// somebody's own.
package mariadb

import (
	"context"
	"crypto/rand"
	"database/sql"
	"errors"
	"fmt"
	"net"
	"os"
	"os/exec"
	"os/user"
	"path/filepath"
	"strings"
	"syscall"
	"time"

	driver "github.com/go-sql-driver/mysql"
)

// A Server is a running MariaDB.
type Server struct {
	Port   int
	dir    string
	socket string
	secret string
	cmd    *exec.Cmd
	ended  chan struct{}
}

// Install is the command that provides what Start needs.
const Install = "apt-get install mariadb-server"

// Start starts a server with its data in dir, making it when it is not there.
func Start(ctx context.Context, dir string) (*Server, error) {
	dir, err := filepath.Abs(dir)
	if err != nil {
		return nil, err
	}
	if err := os.MkdirAll(dir, 0o700); err != nil {
		return nil, err
	}
	s := &Server{dir: dir}
	if s.secret, err = secret(filepath.Join(dir, "password")); err != nil {
		return nil, err
	}
	data := filepath.Join(dir, "data")
	if _, err := os.Stat(filepath.Join(data, "mysql")); errors.Is(err, os.ErrNotExist) {
		if err := install(ctx, data); err != nil {
			return nil, err
		}
	}
	for range 5 {
		if err = s.Restart(ctx); !errors.Is(err, errTaken) {
			break
		}
		s.Port = 0 // somebody else was given the same free port, and was quicker
	}
	return s, err
}

// errTaken says that another program listens at the port.
var errTaken = errors.New("mariadb: the port is taken")

func secret(file string) (string, error) {
	b, err := os.ReadFile(file)
	if errors.Is(err, os.ErrNotExist) {
		b = []byte(rand.Text())
		err = os.WriteFile(file, b, 0o600)
	}
	return string(b), err
}

func me() string {
	if u, err := user.Current(); err == nil {
		return u.Username
	}
	return "root"
}

func program(name string) (string, error) {
	for _, dir := range append(filepath.SplitList(os.Getenv("PATH")), "/usr/sbin", "/usr/bin") {
		p := filepath.Join(dir, name)
		if info, err := os.Stat(p); err == nil && !info.IsDir() {
			return p, nil
		}
	}
	return "", fmt.Errorf("mariadb: %s is missing: %s", name, Install)
}

func install(ctx context.Context, data string) error {
	p, err := program("mariadb-install-db")
	if err != nil {
		return err
	}
	cmd := exec.CommandContext(ctx, p, "--no-defaults", "--user="+me(), "--datadir="+data, "--auth-root-authentication-method=socket", "--skip-test-db")
	if out, err := cmd.CombinedOutput(); err != nil {
		os.RemoveAll(data)
		return fmt.Errorf("mariadb: setting up %s: %w: %s", data, err, out)
	}
	return nil
}

// Restart starts the server on the data that is there; after Kill it comes
// back on the same port.
func (s *Server) Restart(ctx context.Context) error {
	p, err := program("mariadbd")
	if err != nil {
		return err
	}
	if s.Port == 0 {
		if s.Port, err = FreePort(); err != nil {
			return err
		}
	}
	// A socket's path may be 107 bytes long (unix(7)), a project's folder longer.
	if s.socket == "" {
		run, err := os.MkdirTemp("", "rmdb")
		if err != nil {
			return err
		}
		s.socket = filepath.Join(run, "s")
	}
	init := filepath.Join(s.dir, "init.sql")
	grant := fmt.Sprintf("CREATE USER IF NOT EXISTS 'readymargin'@'127.0.0.1' IDENTIFIED BY '%[1]s';\nGRANT ALL ON *.* TO 'readymargin'@'127.0.0.1';\n", s.secret)
	if err := os.WriteFile(init, []byte(grant), 0o600); err != nil {
		return err
	}
	s.cmd = exec.Command(p, "--no-defaults", "--user="+me(), "--datadir="+filepath.Join(s.dir, "data"), "--bind-address=127.0.0.1",
		fmt.Sprintf("--port=%d", s.Port), "--socket="+s.socket, "--pid-file="+filepath.Join(s.dir, "pid"), "--init-file="+init,
		"--skip-name-resolve", "--innodb-flush-log-at-trx-commit=1", "--innodb-buffer-pool-size=256M", "--innodb-log-file-size=128M",
		"--max-connections=200", "--max-allowed-packet=64M", "--character-set-server=utf8mb4", "--collation-server=utf8mb4_unicode_520_ci",
		"--log-error="+filepath.Join(s.dir, "error.log"))
	// Ctrl-C is for us, who then stop it in order; if we are killed, it stops by itself.
	s.cmd.SysProcAttr = &syscall.SysProcAttr{Setpgid: true, Pdeathsig: syscall.SIGTERM}
	if err := s.cmd.Start(); err != nil {
		return fmt.Errorf("mariadb: %w", err)
	}
	s.ended = make(chan struct{})
	go func(cmd *exec.Cmd, ended chan struct{}) { cmd.Wait(); close(ended) }(s.cmd, s.ended)
	return s.await(ctx)
}

// FreePort returns a port of the loopback that nobody listens at.
func FreePort() (int, error) {
	l, err := net.Listen("tcp", "127.0.0.1:0")
	if err != nil {
		return 0, err
	}
	defer l.Close()
	return l.Addr().(*net.TCPAddr).Port, nil
}

func (s *Server) await(ctx context.Context) error {
	db, err := sql.Open("mysql", s.dsn(""))
	if err != nil {
		return err
	}
	defer db.Close()
	driver.SetLogger(quiet{})
	for deadline := time.Now().Add(60 * time.Second); ; {
		if err = db.PingContext(ctx); err == nil {
			return nil
		}
		select {
		case <-s.ended:
			log, _ := os.ReadFile(filepath.Join(s.dir, "error.log"))
			lines := strings.Split(strings.TrimSpace(string(log)), "\n")
			if last := strings.Join(lines[max(0, len(lines)-8):], "\n"); strings.Contains(last, "Address already in use") {
				return errTaken
			}
			return fmt.Errorf("mariadb: the server ended: %s", strings.Join(lines[max(0, len(lines)-5):], "\n"))
		case <-ctx.Done():
			return ctx.Err()
		case <-time.After(50 * time.Millisecond):
		}
		if time.Now().After(deadline) {
			return fmt.Errorf("mariadb: no answer: %w", err)
		}
	}
}

// quiet drops the driver's complaints while a server comes up or goes down.
type quiet struct{}

func (quiet) Print(...any) {}

func (s *Server) dsn(database string) string {
	return fmt.Sprintf("readymargin:%s@tcp(127.0.0.1:%d)/%s", s.secret, s.Port, database)
}

// Database makes a database when it is not there and returns its DSN.
func (s *Server) Database(ctx context.Context, name string) (string, error) {
	db, err := sql.Open("mysql", s.dsn(""))
	if err != nil {
		return "", err
	}
	defer db.Close()
	_, err = db.ExecContext(ctx, "CREATE DATABASE IF NOT EXISTS `"+name+"` CHARACTER SET utf8mb4 COLLATE utf8mb4_unicode_520_ci")
	return s.dsn(name), err
}

// Stop ends the server in order and waits for it.
func (s *Server) Stop() {
	s.cmd.Process.Signal(syscall.SIGTERM)
	<-s.ended
	os.RemoveAll(filepath.Dir(s.socket))
}

// Kill ends the server with SIGKILL, as a power cut would.
func (s *Server) Kill() {
	s.cmd.Process.Kill()
	<-s.ended
}
