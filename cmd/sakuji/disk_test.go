package main

import (
	"net/http"
	"os"
	"os/exec"
	"path/filepath"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// On a small file system of its own that runs full, and later may not be written: the
// studio says so, loses nothing, goes on showing what there is, and takes up again when there
// is room. After SQLite's notes on full disks and read-only media (sqlite.org/rescode.html).
func TestSiegeOfTheDisk(t *testing.T) {
	if os.Getenv("SAKUJI_SIEGE") == "" {
		t.Skip("make siege")
	}
	disk := t.TempDir()
	if out, err := exec.Command("mount", "-t", "tmpfs", "-o", "size=16m", "none", disk).CombinedOutput(); err != nil {
		t.Skip("no file system can be mounted here: " + string(out))
	}
	t.Cleanup(func() { exec.Command("umount", "-l", disk).Run() }) //nolint:errcheck // the test is over
	s := besiegeIn(t, filepath.Join(disk, "studio"), "--backups", "off")
	sheets := func(why string) {
		t.Helper()
		for _, path := range []string{"/", "/orders", "/clients", "/models", "/bench", "/studio"} {
			code, page := s.ask(http.MethodGet, path, "", nil)
			assert.Equal(t, http.StatusOK, code, "%s: %s", why, path)
			assert.Contains(t, page, "</html>", "%s: %s, all of it", why, path)
		}
	}
	add := func(name string) (int, string) { return s.post("/clients", "name", name) }
	code, _ := add("Before")
	require.Equal(t, http.StatusOK, code)

	// Full.
	ballast := filepath.Join(disk, "ballast")
	f, err := os.Create(ballast)
	require.NoError(t, err)
	for chunk := make([]byte, 4096); err == nil; {
		_, err = f.Write(chunk)
	}
	f.Close()
	said, kept := "", map[string]bool{"Before": true}
	for i := range 200 { // what is free within the database is used first
		name := "Client " + strings.Repeat("x", 90) + string(rune('a'+i%26)) + string(rune('a'+i/26))
		code, page := add(name)
		if code == http.StatusOK {
			kept[name] = true
			continue
		}
		said = page
		break
	}
	assert.Regexp(t, `(?i)the disk is full`, said)
	sheets("full")
	assert.NotEqual(t, http.StatusSeeOther, s.shelve("good.stl", block()), "nothing is taken in")
	code, page := s.ask(http.MethodGet, "/healthz", "", nil)
	assert.Equal(t, http.StatusServiceUnavailable, code)
	assert.Contains(t, page, "the disk is full")
	_, _, checked := sakuji(t, "", "check", "--data", s.dir)
	assert.Zero(t, checked)
	require.NoError(t, os.Remove(ballast))
	code, page = add("After")
	assert.Equal(t, http.StatusOK, code, page)
	kept["After"] = true

	_, page = s.ask(http.MethodGet, "/clients", "", nil)
	for name := range kept {
		assert.Contains(t, page, ">"+name+"<")
	}
	assert.NotContains(t, page, ">Never<")
	s.stop(t)
	// Not to be written: it can be looked at and copied, and says what it is when it is to be served.
	out, err := exec.Command("mount", "-o", "remount,ro", disk).CombinedOutput()
	require.NoError(t, err, string(out))
	told, errs, code := sakuji(t, "", "check", "--data", s.dir)
	assert.Zero(t, code, errs)
	assert.Contains(t, told, "whole")
	backup := filepath.Join(t.TempDir(), "b.tgz")
	_, errs, code = sakuji(t, "", "backup", backup, "--data", s.dir)
	assert.Zero(t, code, errs)
	told, errs, code = sakuji(t, "", "drill", backup)
	assert.Zero(t, code, errs)
	assert.Contains(t, told, "comes back whole")
	_, errs, code = sakuji(t, "", "serve", "--data", s.dir, "--addr", "127.0.0.1:0")
	assert.Equal(t, 1, code)
	assert.Contains(t, errs, "read-only file system")
	t.Logf("a disk that ran full and one that may not be written: %d writes acknowledged, none lost", len(kept))
}
