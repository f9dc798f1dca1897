// Licences prints the names, versions and licences of all that is not ours and ships with the program: Go modules
// that it is built from, and what of npm its pages are made of.
package main

import (
	"encoding/json"
	"fmt"
	"log"
	"os"
	"os/exec"
	"path/filepath"
	"slices"
	"strings"
)

type part struct{ name, version, dir string }

func main() {
	log.SetFlags(0)
	parts, err := modules()
	if err != nil {
		log.Fatal(err)
	}
	shipped, err := packages()
	if err != nil {
		log.Fatal(err)
	}
	for _, p := range append(parts, shipped...) {
		texts, err := licences(p.dir)
		if err != nil {
			log.Fatalf("%s %s: %v", p.name, p.version, err)
		}
		fmt.Printf("%s\n%s %s\n\n%s\n\n", strings.Repeat("=", 80), p.name, p.version, strings.TrimSpace(texts))
	}
}

// modules are those that the program is built from.
func modules() (list []part, err error) {
	const form = `{{with .Module}}{{if not .Main}}{{.Path}} {{.Version}} {{.Dir}}{{end}}{{end}}`
	out, err := exec.Command("go", "list", "-deps", "-f", form, "./cmd/blendseam").Output()
	if err != nil {
		return nil, fmt.Errorf("go list: %w", err)
	}
	lines := strings.Split(strings.TrimSpace(string(out)), "\n")
	slices.Sort(lines)
	for _, line := range slices.Compact(lines) {
		if f := strings.Fields(line); len(f) == 3 {
			list = append(list, part{f[0], f[1], f[2]})
		}
	}
	goRoot, err := exec.Command("go", "env", "GOROOT", "GOVERSION").Output()
	if err != nil {
		return nil, fmt.Errorf("go env: %w", err)
	}
	f := strings.Fields(string(goRoot))
	return append([]part{{"Go", f[1], f[0]}}, list...), nil
}

// packages are the dependencies that package.json names for the pages, and those of tailwind's that end in its styles.
func packages() (list []part, err error) {
	raw, err := os.ReadFile("package.json")
	if err != nil {
		return nil, err
	}
	var own struct{ Dependencies map[string]string }
	if err := json.Unmarshal(raw, &own); err != nil {
		return nil, err
	}
	own.Dependencies["tailwindcss"] = ""
	for name := range own.Dependencies {
		dir := filepath.Join("node_modules", name)
		raw, err := os.ReadFile(filepath.Join(dir, "package.json"))
		if err != nil {
			return nil, err
		}
		var p struct{ Version string }
		if err := json.Unmarshal(raw, &p); err != nil {
			return nil, err
		}
		list = append(list, part{name, p.Version, dir})
	}
	slices.SortFunc(list, func(a, b part) int { return strings.Compare(a.name, b.name) })
	return list, nil
}

// licences are the texts that lie in a folder; a package without any says its kind in package.json.
func licences(dir string) (string, error) {
	files, err := os.ReadDir(dir)
	if err != nil {
		return "", err
	}
	var texts []string
	for _, f := range files {
		if f.IsDir() || !isLicence(strings.ToUpper(f.Name())) {
			continue
		}
		raw, err := os.ReadFile(filepath.Join(dir, f.Name()))
		if err != nil {
			return "", err
		}
		texts = append(texts, string(raw))
	}
	if len(texts) > 0 {
		return strings.Join(texts, "\n\n"), nil
	}
	raw, err := os.ReadFile(filepath.Join(dir, "package.json"))
	if err != nil {
		return "", fmt.Errorf("it has no licence: %w", err)
	}
	var p struct{ License string }
	if err := json.Unmarshal(raw, &p); err != nil || p.License == "" {
		return "", fmt.Errorf("it names no licence: %w", err)
	}
	return "Licence: " + p.License, nil
}

func isLicence(name string) bool {
	for _, begins := range []string{"LICEN", "UNLICENSE", "COPYING", "NOTICE"} {
		if strings.HasPrefix(name, begins) {
			return true
		}
	}
	return false
}
