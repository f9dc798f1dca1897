package main

import (
	"database/sql"
	"errors"
	"fmt"
	"io"
	"net/http"
	"os"
	"os/exec"
	"path/filepath"
	"slices"
	"strings"
	"time"
)

// judge says what became of everything.
func (d *driving) judge(c *cluster, scenes []string) error {
	n := 0
	for _, list := range d.acked {
		n += len(list)
	}
	fmt.Printf("%d edits acknowledged, %d touched what was newer, %d refused, %d failed\n", n, d.stale.Load(),
		d.refused.Load(), d.failed.Load())
	d.problem.Range(func(k, _ any) bool {
		fmt.Println("  ", strings.TrimSpace(k.(string)))
		return true
	})
	fmt.Printf(
		"answered in %s (half), %s (95 %%), %s (99 %%), %s at most\n",
		at(d.took, .5),
		at(d.took, .95),
		at(d.took, .99),
		at(d.took, 1),
	)
	fmt.Printf(
		"heard on other pages after %s (half), %s (95 %%), %s (99 %%)\n",
		at(d.heard, .5),
		at(d.heard, .95),
		at(d.heard, .99),
	)
	lost, disordered := 0, 0
	for node := range nodes {
		if c == nil {
			break
		}
		l, o, err := d.look(c.dsnOf(node), scenes)
		if err != nil {
			return err
		}
		lost, disordered = lost+l, disordered+o
	}
	wrong := d.check(scenes)
	fmt.Printf(
		"on all three servers %d edits are not there, %d logs are not in order; %d scenes cannot be\n",
		lost,
		disordered,
		wrong,
	)
	if lost+disordered+wrong > 0 {
		return errors.New("something was lost")
	}
	if d.kills+d.cuts == 0 && d.failed.Load() > 0 {
		return errors.New("some edits failed though nothing was killed")
	}
	return nil
}

func at(list []time.Duration, part float64) time.Duration {
	if len(list) == 0 {
		return 0
	}
	slices.Sort(list)
	return list[min(len(list)-1, int(part*float64(len(list))))].Round(100 * time.Microsecond)
}

// look looks on one server for every edit that was acknowledged, and whether each log goes on from one to the next.
func (d *driving) look(dsn string, scenes []string) (lost, disordered int, err error) {
	db, err := sql.Open("mysql", dsn)
	if err != nil {
		return 0, 0, err
	}
	defer db.Close()
	for _, id := range scenes {
		rows, err := db.Query("SELECT seq, COALESCE(edit, '') FROM edits WHERE scene = ? ORDER BY seq", id)
		if err != nil {
			return 0, 0, err
		}
		edits, next := map[int64]string{}, int64(1)
		for rows.Next() {
			var seq int64
			var edit string
			if err := rows.Scan(&seq, &edit); err != nil {
				return 0, 0, err
			}
			if seq != next {
				disordered++
			}
			next = seq + 1
			edits[seq] = edit
		}
		rows.Close()
		if err := rows.Err(); err != nil {
			return 0, 0, err
		}
		for _, a := range d.acked[id] {
			if !strings.Contains(edits[a.revision], fmt.Sprint(`"db":`, a.db)) {
				lost++
			}
		}
	}
	return lost, disordered, nil
}

// check reads every scene back through the command line, which refuses one that cannot be.
func (d *driving) check(scenes []string) (wrong int) {
	dir, err := os.MkdirTemp("", "blendseam-cluster-")
	if err != nil {
		return len(scenes)
	}
	defer os.RemoveAll(dir)
	for i, id := range scenes {
		file := filepath.Join(dir, fmt.Sprintf("%d.otio", i))
		raw, err := d.fetched(d.base + "/scenes/" + id + "/scene.otio")
		if err == nil {
			err = os.WriteFile(file, raw, 0o600)
		}
		if err == nil {
			err = exec.Command("bin/blendseam", "convert", file, "-o", file+".again.otio").Run()
		}
		if err != nil {
			fmt.Fprintln(os.Stderr, "cluster: a scene cannot be read back:", err)
			wrong++
		}
	}
	return wrong
}

// fetched is what lies at an address, asked for again where there is nobody to answer just then.
func (d *driving) fetched(address string) (raw []byte, err error) {
	for range 20 {
		var a *http.Response
		if a, err = d.client.Get(address); err == nil {
			raw, err = io.ReadAll(a.Body)
			a.Body.Close()
			if err == nil && a.StatusCode == http.StatusOK {
				return raw, nil
			}
			err = errors.Join(err, &status{a.StatusCode, address})
		}
		time.Sleep(time.Second)
	}
	return nil, err
}
