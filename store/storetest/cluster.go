package storetest

import (
	"fmt"
	"net"
	"os"
	"os/exec"
	"os/user"
	"path/filepath"
	"sort"
	"strconv"
	"testing"
	"time"

	"github.com/stretchr/testify/require"
)

// Cluster is a PostgreSQL cluster of a test's own, as safe as an artist's: fsync is
// on. It can be killed.
type Cluster struct {
	t    testing.TB
	bin  string
	data string
	sock string
	port int
}

// NewCluster makes and starts one; it goes with the test.
func NewCluster(t testing.TB) *Cluster {
	bins, _ := filepath.Glob("/usr/lib/postgresql/*/bin")
	require.NotEmpty(t, bins, "PostgreSQL's server programs are missing; scripts/test installs them")
	sort.Strings(bins)
	dir, err := os.MkdirTemp("/tmp", "willowherb-cluster-")
	require.NoError(t, err)
	l, err := net.Listen("tcp", "127.0.0.1:0")
	require.NoError(t, err)
	c := &Cluster{t: t, bin: bins[len(bins)-1], data: filepath.Join(dir, "data"), sock: dir, port: l.Addr().(*net.TCPAddr).Port}
	require.NoError(t, l.Close())
	if os.Getuid() == 0 { // PostgreSQL refuses to run as root, so root hands over
		u, err := user.Lookup("postgres")
		require.NoError(t, err)
		uid, _ := strconv.Atoi(u.Uid)
		gid, _ := strconv.Atoi(u.Gid)
		require.NoError(t, os.Chown(dir, uid, gid))
	}
	c.run("initdb", "-D", c.data, "-A", "trust", "-U", "willowherb", "--locale=C.UTF-8", "-E", "UTF8")
	c.Start()
	t.Cleanup(func() {
		_ = c.command("pg_ctl", "-D", c.data, "-m", "immediate", "-w", "stop").Run()
		_ = os.RemoveAll(dir)
	})
	return c
}

func (c *Cluster) command(program string, args ...string) *exec.Cmd {
	path := filepath.Join(c.bin, program)
	cmd := exec.Command(path, args...)
	if os.Getuid() == 0 {
		cmd = exec.Command("runuser", append([]string{"-u", "postgres", "--", path}, args...)...)
	}
	cmd.Dir = "/"
	return cmd
}

func (c *Cluster) run(program string, args ...string) {
	out, err := c.command(program, args...).CombinedOutput()
	require.NoError(c.t, err, "%s: %s", program, out)
}

// Start starts it; how it was left is mended first, as after a loss of power.
func (c *Cluster) Start() {
	c.run("pg_ctl", "-D", c.data, "-w", "-t", "60", "-l", filepath.Join(c.sock, "log"),
		"-o", fmt.Sprintf("-p %d -c listen_addresses=127.0.0.1 -c unix_socket_directories=%s", c.port, c.sock), "start")
}

// Kill ends it at once: no connection is told, nothing is written down.
func (c *Cluster) Kill() { c.run("pg_ctl", "-D", c.data, "-m", "immediate", "-w", "stop") }

// Bounce kills it and starts it again after a while.
func (c *Cluster) Bounce(away time.Duration) {
	c.Kill()
	time.Sleep(away)
	c.Start()
}

// URL is its address.
func (c *Cluster) URL() string {
	return fmt.Sprintf("postgres://willowherb@127.0.0.1:%d/postgres", c.port)
}
