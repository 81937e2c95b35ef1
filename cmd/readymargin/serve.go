package main

import (
	"bufio"
	"context"
	"crypto/tls"
	"errors"
	"fmt"
	"log/slog"
	"maps"
	"net"
	"net/http"
	"os"
	"os/exec"
	"slices"
	"strings"
	"syscall"
	"time"

	"readymargin/confine"
	"readymargin/demo"
	"readymargin/pdf"
	"readymargin/school"
	"readymargin/school/services"
	"readymargin/standin/mailserver"
	"readymargin/store"
	"readymargin/store/mariadb"
	"readymargin/web"
)

// listen listens at address; with another, a taken port is named and a free
// one is taken in its place.
func listen(address string, another bool) (net.Listener, error) {
	l, err := net.Listen("tcp", address)
	if err == nil || !another || !errors.Is(err, syscall.EADDRINUSE) {
		return l, err
	}
	host, port, _ := net.SplitHostPort(address)
	fmt.Printf("Port %s is taken by another program; taking a free one.\n", port)
	return net.Listen("tcp", net.JoinHostPort(host, "0"))
}

// originAt returns where people find the site.
func (o *options) originAt(l net.Listener) string {
	if o.origin != "" {
		return strings.TrimSuffix(o.origin, "/")
	}
	scheme := "http"
	if o.cert != "" || o.proxied {
		scheme = "https"
	}
	return scheme + "://" + l.Addr().String()
}

// serveOn serves until the context ends, then lets requests in hand finish.
func (o *options) serveOn(ctx context.Context, l net.Listener, s *services.All, st *store.Store, press *pdf.Pool) error {
	cfg := web.Config{Sessions: st.Sessions(), Origin: o.originAt(l), Secure: o.cert != "" || o.proxied, Ready: func() error { return st.Ping(context.Background()) }}
	base, cancel := context.WithCancel(context.Background())
	defer cancel()
	if o.metrics != "" {
		m, err := newMetrics(s, st, press)
		if err != nil {
			return err
		}
		if err := m.serve(base, o.metrics); err != nil {
			return err
		}
		cfg.Seen = m.seen
	}
	site, err := web.New(s, cfg)
	if err != nil {
		return err
	}
	srv := &http.Server{
		Handler: site, ReadHeaderTimeout: 10 * time.Second, IdleTimeout: 2 * time.Minute,
		ReadTimeout: 5 * time.Minute, WriteTimeout: 5 * time.Minute, MaxHeaderBytes: 64 << 10,
		BaseContext: func(net.Listener) context.Context { return base },
		TLSConfig:   &tls.Config{MinVersion: tls.VersionTLS12},
	}
	go s.Jobs.Run(base)
	go s.Scans.Run(base)
	go s.Transcripts.Run(base)
	go s.Returns.Run(base)
	if s.Notices.Origin = o.originAt(l); s.Notices.Open() {
		go s.Mails.Run(base)
	}
	go func() {
		for { // blobs that nothing refers to any more
			if err := st.AddJob(base, school.JobSweep, 0, s.Now()); err != nil && base.Err() == nil {
				slog.Error("sweeping cannot be planned", "error", err)
			}
			select {
			case <-base.Done():
				return
			case <-time.After(24 * time.Hour):
			}
		}
	}()
	done := make(chan error, 1)
	go func() {
		if o.cert != "" {
			done <- srv.ServeTLS(l, o.cert, o.key)
		} else {
			done <- srv.Serve(l)
		}
	}()
	select {
	case err := <-done:
		return err
	case <-ctx.Done():
	}
	// Event streams never end by themselves; other requests get time.
	time.AfterFunc(300*time.Millisecond, cancel)
	grace, stop := context.WithTimeout(context.Background(), 20*time.Second)
	defer stop()
	return srv.Shutdown(grace)
}

// admin makes an administrator.
func admin(ctx context.Context, args []string) error {
	if len(args) < 2 || args[0] != "add" {
		return errors.New("usage: readymargin admin add NAME [flags]; the password is read from standard input")
	}
	var o options
	if err := o.flags("admin").Parse(args[2:]); err != nil {
		return err
	}
	s, _, _, closeAll, err := o.open(ctx)
	if err != nil {
		return err
	}
	defer closeAll()
	fmt.Fprint(os.Stderr, "Password (at least 8 characters): ")
	line, err := bufio.NewReader(os.Stdin).ReadString('\n')
	if err != nil && line == "" {
		return err
	}
	p, err := s.Accounts.AddPerson(ctx, args[1], strings.TrimRight(line, "\r\n"), true, true)
	if school.IsProblem(err, "password length") {
		return errors.New("a password needs at least 8 characters")
	}
	if err != nil {
		return err
	}
	fmt.Printf("%s signs in as %s\n", p.Name, p.Login)
	return nil
}

// runDemo serves a school with demo data from a folder of its own.
func runDemo(ctx context.Context, args []string) error {
	var o options
	f := o.flags("demo")
	dir := f.String("dir", "var/demo", "folder of the demo's database and caches")
	fresh := f.Bool("fresh", false, "begin anew")
	if err := f.Parse(args); err != nil {
		return err
	}
	if *fresh {
		if err := os.RemoveAll(*dir); err != nil {
			return err
		}
	}
	began := time.Now()
	o.cache = *dir + "/cache"
	db, err := mariadb.Start(ctx, *dir+"/db")
	if err != nil {
		return err
	}
	defer db.Stop()
	if o.dsn, err = db.Database(ctx, "readymargin"); err != nil {
		return err
	}
	letters, err := o.standIn()
	if err != nil {
		return err
	}
	s, st, press, closeAll, err := o.open(ctx)
	if err != nil {
		return err
	}
	defer closeAll()
	if err := fill(ctx, st, s, press, *dir+"/filled"); err != nil {
		return err
	}
	l, err := listen(o.address, true)
	if err != nil {
		return err
	}
	fmt.Printf(`
Ready Margin is ready after %s:  %s

  teachers   mr.okonjo-bell, ms.thorvald
  runs it    dr.amoako-lund
  students   ines.varga, tomas.lindqvist, rhys.pugh, leila.haddad, elena.petrova …
  password   %s   (for everybody)
  its mail   %s   (simulated: nothing is sent to anybody)

Ctrl-C stops it. What is done here is kept for the next time; "make demo-fresh" begins anew.
`, time.Since(began).Round(100*time.Millisecond), o.originAt(l), demo.Password, letters)
	err = o.serveOn(ctx, l, s, st, press)
	if errors.Is(err, http.ErrServerClosed) || ctx.Err() != nil {
		fmt.Println("Stopped.")
		return nil
	}
	return err
}

// standIn starts what stands in for services outside the house: a mail server that sends
// nothing on, of which it returns where its messages are read.
func (o *options) standIn() (string, error) {
	in, err := listen("127.0.0.1:0", false)
	if err != nil {
		return "", err
	}
	out, err := listen("127.0.0.1:8025", true)
	if err != nil {
		return "", err
	}
	o.mail, o.mailFrom = "smtp://"+in.Addr().String(), "margin@skerrymouth.example"
	go http.Serve(out, mailserver.Serve(in))
	return "http://" + out.Addr().String(), nil
}

// fill fills the demo in once. A filling that was interrupted is begun anew.
func fill(ctx context.Context, st *store.Store, s *services.All, press *pdf.Pool, marker string) error {
	if _, err := os.Stat(marker); err == nil {
		return nil
	}
	if _, err := st.PersonByLogin(ctx, "mr.okonjo-bell"); err == nil {
		return errors.New("an earlier filling of the demo was interrupted: run make demo-fresh")
	}
	fmt.Println("Filling in the demo, once …")
	if err := demo.Fill(ctx, s, press); err != nil {
		return fmt.Errorf("filling in the demo: %w", err)
	}
	return os.WriteFile(marker, []byte(time.Now().Format(time.RFC3339)+"\n"), 0o600)
}

// doctor says what holds on this machine.
func doctor(ctx context.Context, args []string) error {
	var o options
	f := o.flags("doctor")
	read := f.Bool("read", false, "read every stored file and compare it with its name")
	if err := f.Parse(args); err != nil {
		return err
	}
	say := func(what string, ok bool, hint string) {
		if ok {
			fmt.Printf("ok       %s\n", what)
		} else {
			fmt.Printf("missing  %s%s\n", what, hint)
		}
	}
	for program, pkg := range map[string]string{"mariadb-dump": "mariadb-client", "ffmpeg": "ffmpeg", "prlimit": "util-linux", "heif-convert": "libheif-examples", "soffice": "libreoffice-writer-nogui libreoffice-impress-nogui"} {
		_, err := exec.LookPath(program)
		say(program, err == nil, ": apt-get install "+pkg)
	}
	say("office documents: a room of their own", confine.HasRooms(), " (run as root, or in a container that permits namespaces)")
	press, err := o.press()
	if err != nil {
		return err
	}
	defer press.Close()
	walls, err := press.Confinement()
	if err != nil {
		return err
	}
	for _, w := range slices.Sorted(maps.Keys(walls)) {
		say("PDF workers: "+w, walls[w], " (run as root, or in a container that permits it)")
	}
	if o.dsn == "" {
		return nil
	}
	st, err := store.Open(store.Config{DSN: o.dsn})
	if err != nil {
		return err
	}
	defer st.Close()
	err = st.Ping(ctx)
	say("database", err == nil, fmt.Sprint(": ", err))
	if err != nil {
		return err
	}
	if err := unfinished(ctx, st); err != nil || !*read {
		return err
	}
	return readAll(ctx, st)
}
