package main

import (
	"errors"
	"fmt"
	"os"
	"os/exec"
	"strings"
)

// Servers of the database can be given networks of their own (network namespaces, for which one has to be root),
// so that
// one can be cut off from the others.
const (
	bridge  = "bsbridge"
	network = "10.77.0."
)

// spaces says where the servers answer: on loopback, or each in a network of its own.
type spaces bool

func (s spaces) host(node int) string {
	if s {
		return fmt.Sprint(network, node+1)
	}
	return "127.0.0.1"
}

func space(node int) string { return fmt.Sprintf("bsnode%d", node+1) }
func cable(node int) string { return fmt.Sprintf("bscable%d", node+1) }

// within is a command as it is run for a server.
func (s spaces) within(node int, program string, args ...string) *exec.Cmd {
	if s {
		return exec.Command("ip", append([]string{"netns", "exec", space(node), program}, args...)...)
	}
	return exec.Command(program, args...)
}

func ip(args string) error {
	out, err := exec.Command("ip", strings.Fields(args)...).CombinedOutput()
	if err != nil {
		return fmt.Errorf("ip %s: %w: %s", args, err, out)
	}
	return nil
}

// make makes the networks.
func (s spaces) make() error {
	if !s {
		return nil
	}
	if os.Getuid() != 0 {
		return errors.New("cutting networks needs root")
	}
	s.remove()
	err := errors.Join(ip("link add "+bridge+" type bridge"), ip("addr add "+network+"254/24 dev "+bridge),
		ip("link set "+bridge+" up"))
	for i := range nodes {
		in := "-n " + space(i) + " "
		err = errors.Join(err, ip("netns add "+space(i)),
			ip("link add "+cable(i)+" type veth peer name eth0 netns "+space(i)),
			ip("link set "+cable(i)+" master "+bridge+" up"), ip(in+"addr add "+s.host(i)+"/24 dev eth0"),
			ip(in+"link set eth0 up"), ip(in+"link set lo up"))
	}
	return err
}

// remove removes them; what is not there need not be.
func (s spaces) remove() {
	if s {
		for i := range nodes {
			ip("netns del " + space(i))
			ip("link del " + cable(i))
		}
		ip("link del " + bridge)
	}
}

// cut cuts a server off; join puts it back.
func (s spaces) cut(node int) error  { return ip("link set " + cable(node) + " down") }
func (s spaces) join(node int) error { return ip("link set " + cable(node) + " up") }
