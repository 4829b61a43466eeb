package protocol_test

import (
	post "woolsignal/server/protocol/mail"

	"woolsignal/server/protocol/mcp"

	"context"
	"errors"
	"fmt"
	"math/rand/v2"
	"net"
	"net/http"
	"os"
	"os/exec"
	"os/user"
	"path/filepath"
	"strconv"
	"strings"
	"syscall"
	"testing"
	"time"

	"woolsignal/server/tool"
)

// These tests speak to real servers: `make test` installs them. Where one is
// missing the test says so and is skipped.

func program(t *testing.T, names ...string) string {
	t.Helper()
	for _, name := range names {
		if path, err := exec.LookPath(name); err == nil {
			return path
		}
		if found, _ := filepath.Glob(name); len(found) > 0 {
			return found[len(found)-1]
		}
	}
	t.Skipf("NOT TESTED: %s is not installed; run: make servers", names[0])
	return ""
}

// freePort finds a port for a server of its own process: below those that the system
// gives to whoever asks for any, one of which may be taken until that server has begun.
func freePort(t *testing.T) string {
	t.Helper()
	for range 100 {
		port := fmt.Sprint(20_000 + rand.IntN(12_000))
		if l, err := net.Listen("tcp", "127.0.0.1:"+port); err == nil {
			l.Close()
			return port
		}
	}
	t.Fatal("no port is free")
	return ""
}

// runs starts a program as a user and stops it with the test. It returns once
// the port answers.
func runs(t *testing.T, as, port string, command ...string) {
	t.Helper()
	cmd := exec.Command(command[0], command[1:]...)
	cmd.SysProcAttr = &syscall.SysProcAttr{Setpgid: true, Pdeathsig: syscall.SIGKILL}
	if as != "" {
		uid, gid := ids(t, as)
		cmd.SysProcAttr.Credential = &syscall.Credential{Uid: uid, Gid: gid}
	}
	var said strings.Builder
	cmd.Stdout, cmd.Stderr = &said, &said
	if err := cmd.Start(); err != nil {
		t.Fatal(err)
	}
	gone := make(chan struct{})
	go func() { _ = cmd.Wait(); close(gone) }()
	t.Cleanup(func() {
		_ = syscall.Kill(-cmd.Process.Pid, syscall.SIGTERM)
		select {
		case <-gone:
		case <-time.After(5 * time.Second):
			_ = syscall.Kill(-cmd.Process.Pid, syscall.SIGKILL)
			<-gone
		}
	})
	for limit := time.Now().Add(30 * time.Second); ; time.Sleep(50 * time.Millisecond) {
		c, err := net.Dial("tcp", "127.0.0.1:"+port)
		if err == nil {
			c.Close()
			return
		}
		select {
		case <-gone:
			t.Fatalf("%s ended:\n%s", command[0], said.String())
		default:
		}
		if time.Now().After(limit) {
			t.Fatalf("%s does not answer:\n%s", command[0], said.String())
		}
	}
}

// ids are a user's numbers.
func ids(t *testing.T, name string) (uid, gid uint32) {
	t.Helper()
	u, err := user.Lookup(name)
	if err != nil || os.Getuid() != 0 {
		t.Skipf("NOT TESTED: this needs to start a server as %s, as root can (%v)", name, err)
	}
	a, _ := strconv.Atoi(u.Uid)
	b, _ := strconv.Atoi(u.Gid)
	return uint32(a), uint32(b)
}

// folderOf makes a folder that belongs to a user and that they can reach.
func folderOf(t *testing.T, name string) string {
	t.Helper()
	folder, err := os.MkdirTemp("", "woolsignal-real-")
	if err != nil {
		t.Fatal(err)
	}
	t.Cleanup(func() { os.RemoveAll(folder) })
	uid, gid := ids(t, name)
	if err := os.Chown(folder, int(uid), int(gid)); err != nil {
		t.Fatal(err)
	}
	return folder
}

func TestARealCalendarServer(t *testing.T) {
	radicale, port := program(t, "radicale"), freePort(t)
	runs(t, "", port, radicale, "--server-hosts", "127.0.0.1:"+port, "--auth-type", "none",
		"--storage-filesystem-folder", t.TempDir())
	for _, path := range []string{"/depot/dock-1/", "/depot/dock-2/"} {
		request, err := http.NewRequest("MKCALENDAR", "http://127.0.0.1:"+port+path, nil)
		if err != nil {
			t.Fatal(err)
		}
		request.SetBasicAuth("depot", "pw")
		response, err := http.DefaultClient.Do(request)
		if err != nil || response.StatusCode >= 300 {
			t.Fatal(response, err)
		}
		response.Body.Close()
	}
	b := made(t, map[string]string{"connections/cal.yaml": "connection: cal\ntitle: Cal\naddress: http://127.0.0.1:" +
		port + "/depot\nauth: {basic: depot}\nnetworks: [loopback]\ncaldav: {calendars: [dock-1, dock-2]}\n"},
		map[string]string{"cal": "pw"})
	if v, err := b.kit.Test(context.Background(), b.w, b.tools, b.w.Connections["cal"]); err != nil || !v.Fine {
		t.Fatalf("%+v %v", v, err)
	}
	booked := b.must("cal/add_event", map[string]any{"start": "2026-12-01T09:00", "minutes": int64(30),
		"title": "Hollin Bank", "guests": []any{"owen@larkrigg.example"}})
	again := b.must("cal/add_event", map[string]any{"start": "2026-12-01T09:00", "minutes": int64(30),
		"title": "Hollin Bank", "guests": []any{"owen@larkrigg.example"}})
	if booked["id"] != again["id"] {
		t.Errorf("booked as %v and %v", booked["id"], again["id"])
	}
	b.refuses("already taken", "cal/add_event",
		map[string]any{"start": "2026-12-01T09:15", "title": "Skell Top", "minutes": int64(30)})
	// right behind it
	b.must("cal/add_event", map[string]any{"start": "2026-12-01T09:30", "title": "Skell Top", "minutes": int64(30)})
	windows := b.must("cal/free_windows",
		map[string]any{"day": "2026-12-01", "calendar": "dock-1", "earliest": "08:00", "latest": "11:00",
			"minutes": int64(30)})["windows"].([]any)
	if len(windows) != 2 || !strings.Contains(fmt.Sprint(windows[0]), "T08:00") ||
		!strings.Contains(fmt.Sprint(windows[1]), "T10:00") {
		t.Errorf("the free windows are %v", windows)
	}
	moved := b.must("cal/move_event", map[string]any{"id": booked["id"], "start": "2026-12-02T14:00"})
	if !strings.Contains(moved["start"].(string), "2026-12-02T14:00") || len(moved["guests"].([]any)) != 1 {
		t.Errorf("moved to %v", moved)
	}
	b.must("cal/remove_event", map[string]any{"id": booked["id"]})
	b.refuses("no event", "cal/remove_event", map[string]any{"id": booked["id"]})
	if got := b.must("cal/list_events", map[string]any{"from": "2026-12-01",
		"to": "2026-12-02"})["events"].([]any); len(got) != 1 {
		t.Errorf("what is left: %v", got)
	}
}

func TestARealDatabaseServer(t *testing.T) {
	bin := filepath.Dir(program(t, "/usr/lib/postgresql/*/bin/initdb"))
	folder, port := folderOf(t, "postgres"), freePort(t)
	uid, gid := ids(t, "postgres")
	secret := filepath.Join(folder, "pw")
	if err := os.WriteFile(secret, []byte("db-password\n"), 0o644); err != nil {
		t.Fatal(err)
	}
	initdb := exec.Command(filepath.Join(bin, "initdb"), "-D", filepath.Join(folder, "data"), "-U", "wool",
		"--auth=scram-sha-256", "--pwfile", secret)
	initdb.SysProcAttr = &syscall.SysProcAttr{Credential: &syscall.Credential{Uid: uid, Gid: gid}}
	if out, err := initdb.CombinedOutput(); err != nil {
		t.Fatalf("%v\n%s", err, out)
	}
	runs(t, "postgres", port, filepath.Join(bin, "postgres"), "-D", filepath.Join(folder, "data"), "-p", port, "-k",
		folder, "-c", "listen_addresses=127.0.0.1")
	connection := "title: Db\naddress: postgres://127.0.0.1:" + port +
		"/postgres?sslmode=disable\nauth: {basic: wool}\nnetworks: [loopback]\n"
	b := made(t, map[string]string{"connections/db.yaml": "connection: db\n" + connection + "sql: {write: true}\n",
		"connections/ro.yaml": "connection: ro\n" + connection + "sql: {}\n",
		"connections/shut.yaml": "connection: shut\n" + strings.Replace(connection, "networks: [loopback]\n", "", 1) +
			"sql: {}\n"},
		map[string]string{"db": "db-password", "ro": "db-password", "shut": "db-password"})
	ready := func() bool {
		_, err := b.try("ro/query", map[string]any{"sql": "SELECT 1"}, tool.Sending{})
		return err == nil
	}
	for limit := time.Now().Add(20 * time.Second); !ready(); time.Sleep(100 * time.Millisecond) {
		if time.Now().After(limit) {
			_, err := b.try("ro/query", map[string]any{"sql": "SELECT 1"}, tool.Sending{})
			t.Fatal(err)
		}
	}
	b.must("db/execute", map[string]any{"sql": "CREATE TABLE bales (lot text primary key, kg numeric, at timestamptz)"})
	if got := b.must("db/execute", map[string]any{"sql": "INSERT INTO bales VALUES ($1, $2, now()), ($3, $4, now())",
		"values": []any{"14", "120.5", "15", "90"}}); got["changed"] != int64(2) {
		t.Errorf("changed %v", got)
	}
	got := b.must("ro/query", map[string]any{"sql": "SELECT lot, kg::float AS kg FROM bales WHERE lot = $1",
		"values": []any{"14"}})["rows"].([]any)
	if len(got) != 1 || got[0].(map[string]any)["kg"] != 120.5 {
		t.Errorf("read %v", got)
	}
	b.refuses("read-only transaction", "ro/query",
		map[string]any{"sql": "WITH gone AS (DELETE FROM bales RETURNING lot) SELECT * FROM gone"})
	b.refuses("does not exist", "ro/query", map[string]any{"sql": "SELECT nix FROM bales"})
	var blocked *tool.NotSentError
	if _, err := b.try("shut/query", map[string]any{"sql": "SELECT 1"}, tool.Sending{}); !errors.As(err, &blocked) ||
		!strings.Contains(err.Error(), "loopback address") {
		t.Errorf("a connection that names no network: %v", err)
	}
}

func TestARealMailServer(t *testing.T) {
	dovecot := program(t, "dovecot", "/usr/sbin/dovecot")
	folder, port := folderOf(t, "nobody"), freePort(t)
	uid, gid := ids(t, "nobody")
	mail := filepath.Join(folder, "mail")
	for _, dir := range []string{"new", "cur", "tmp"} {
		if err := os.MkdirAll(filepath.Join(mail, dir), 0o777); err != nil {
			t.Fatal(err)
		}
	}
	config := filepath.Join(folder, "dovecot.conf")
	text := fmt.Sprintf(`protocols = imap
listen = 127.0.0.1
base_dir = %[1]s/run
log_path = %[1]s/log
ssl = no
disable_plaintext_auth = no
first_valid_uid = 1
first_valid_gid = 1
mail_location = maildir:%[2]s
passdb {
  driver = static
  args = password=mail-password
}
userdb {
  driver = static
  args = uid=%[3]d gid=%[4]d home=%[1]s
}
service imap-login {
  inet_listener imap {
    port = %[5]s
  }
  inet_listener imaps {
    port = 0
  }
}
`, folder, mail, uid, gid, port)
	if err := os.WriteFile(config, []byte(text), 0o644); err != nil {
		t.Fatal(err)
	}
	if out, err := exec.Command("chown", "-R", "nobody", mail).CombinedOutput(); err != nil {
		t.Fatalf("%v %s", err, out)
	}
	runs(t, "", port, dovecot, "-F", "-c", config)
	deliver := func(name, subject string) {
		t.Helper()
		at := filepath.Join(mail, "new", name)
		if err := os.WriteFile(at,
			[]byte("From: Hollin Bank <hollin@hills.example>\r\nTo: office@larkrigg.example\r\nMessage-ID: <"+name+
				"@hills.example>\r\nSubject: "+subject+"\r\n\r\nTen fleeces.\r\n"), 0o666); err != nil {
			t.Fatal(err)
		}
		if err := os.Chown(at, int(uid), int(gid)); err != nil {
			t.Fatal(err)
		}
	}
	b := made(t,
		map[string]string{"connections/post.yaml": "connection: post\ntitle: Post\naddress: imap://127.0.0.1:" + port +
			"\nauth: {basic: office@larkrigg.example}\nnetworks: [loopback]\n" +
			"mailbox: {email: office@larkrigg.example, smtp: 'smtp://127.0.0.1:1'}\n"},
		map[string]string{"post": "mail-password"})
	box := post.Box(b.kit, b.w.Connections["post"])
	deliver("1.a.x", "Old")
	_, cursor, err := box.Arrived(t.Context(), "INBOX", nil)
	if err != nil {
		t.Fatal(err)
	}
	deliver("2.b.x", "Friday")
	found, cursor, err := box.Arrived(t.Context(), "INBOX", &cursor)
	if err != nil || len(found) != 1 || found[0].Subject != "Friday" || found[0].From.Email != "hollin@hills.example" {
		t.Fatalf("%+v %v", found, err)
	}
	if found, _, err = box.Arrived(t.Context(), "INBOX", &cursor); err != nil || len(found) != 0 {
		t.Errorf("looked again: %d mails, %v", len(found), err)
	}
	_, flags, err := box.Flagged(t.Context(), "INBOX", `\Flagged`, nil)
	if err != nil {
		t.Fatal(err)
	}
	uidOf := b.must("post/search", map[string]any{"words": "fleeces",
		"from": "hollin"})["mails"].([]any)[1].(map[string]any)["uid"]
	b.must("post/flag", map[string]any{"uid": uidOf, "flag": `\Flagged`})
	if found, _, err = box.Flagged(t.Context(), "INBOX", `\Flagged`, &flags); err != nil || len(found) != 1 ||
		found[0].Subject != "Old" {
		t.Errorf("flagged: %+v %v", found, err)
	}
	b.must("post/move", map[string]any{"uid": uidOf, "to": "Done"})
	if got := b.must("post/search", map[string]any{"folder": "Done"})["mails"].([]any); len(got) != 1 {
		t.Errorf("the new folder has %v", got)
	}
	b.refuses("no mail", "post/move", map[string]any{"uid": uidOf, "to": "Done"})
	b.refuses("there is no folder Attic", "post/search", map[string]any{"folder": "Attic"})
	b.bed.Give(t, b.w, "post", "wrong-password")
	b.refuses("does not let", "post/search", map[string]any{})
}

func TestARealMCPServer(t *testing.T) {
	node := program(t, "node")
	script := program(t, filepath.Join(root(t), ".cache", "servers", "node_modules", "@modelcontextprotocol",
		"server-everything", "dist", "index.js"))
	port := freePort(t)
	t.Setenv("PORT", port)
	runs(t, "", port, node, script, "streamableHttp")
	b := made(t, map[string]string{
		"connections/pipe.yaml": "connection: pipe\ntitle: Pipe\nmcp: {command: everything}\n",
		"connections/web.yaml": "connection: web\ntitle: Web\naddress: http://127.0.0.1:" + port +
			"/mcp\nnetworks: [loopback]\nmcp: {}\n",
		"connections/else.yaml": "connection: else\ntitle: Else\nmcp: {command: something-else}\n",
	}, nil)
	b.kit.Commands = map[string][]string{"everything": {node, script, "stdio"}}
	for _, id := range []string{"pipe", "web"} {
		if _, err := mcp.RefreshOffers(t.Context(), b.kit, b.w.Connections[id]); err != nil {
			t.Fatalf("%s: %v", id, err)
		}
	}
	b.tools, _ = tool.Build(b.w, b.kit)
	for _, id := range []string{"pipe", "web"} {
		if got := b.must(id+"/echo",
			map[string]any{"message": "twelve fleeces"}); !strings.Contains(fmt.Sprint(got["text"]), "twelve fleeces") {
			t.Errorf("%s echoes %v", id, got)
		}
	}
	if _, err := mcp.RefreshOffers(t.Context(), b.kit, b.w.Connections["else"]); err == nil ||
		!strings.Contains(err.Error(), "-allow-command something-else=") {
		t.Errorf("a command nobody allowed: %v", err)
	}
}

// root is the project's folder.
func root(t *testing.T) string {
	t.Helper()
	at, err := filepath.Abs("../..")
	if err != nil {
		t.Fatal(err)
	}
	return at
}
