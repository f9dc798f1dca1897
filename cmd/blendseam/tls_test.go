package main

import (
	"crypto/ecdsa"
	"crypto/elliptic"
	"crypto/rand"
	"crypto/tls"
	"crypto/x509"
	"encoding/pem"
	"math/big"
	"net"
	"net/http"
	"net/url"
	"os"
	"path/filepath"
	"strings"
	"syscall"
	"testing"
	"time"
)

// certificate writes one for 127.0.0.1 and its key, and gives the pool that trusts it.
func certificate(t *testing.T) (cert, key string, pool *x509.CertPool) {
	private, err := ecdsa.GenerateKey(elliptic.P256(), rand.Reader)
	if err != nil {
		t.Fatal(err)
	}
	of := &x509.Certificate{SerialNumber: big.NewInt(1), NotAfter: time.Now().Add(time.Hour),
		IPAddresses: []net.IP{net.IPv4(127, 0, 0, 1)}, IsCA: true, BasicConstraintsValid: true}
	der, err := x509.CreateCertificate(rand.Reader, of, of, &private.PublicKey, private)
	if err != nil {
		t.Fatal(err)
	}
	raw, err := x509.MarshalECPrivateKey(private)
	if err != nil {
		t.Fatal(err)
	}
	cert, key = filepath.Join(t.TempDir(), "cert.pem"), filepath.Join(t.TempDir(), "key.pem")
	chain := pem.EncodeToMemory(&pem.Block{Type: "CERTIFICATE", Bytes: der})
	os.WriteFile(cert, chain, 0o644)
	os.WriteFile(key, pem.EncodeToMemory(&pem.Block{Type: "EC PRIVATE KEY", Bytes: raw}), 0o600)
	pool = x509.NewCertPool()
	pool.AppendCertsFromPEM(chain)
	return cert, key, pool
}

// With a certificate all goes by https, and the browser keeps what it was told for that alone.
func TestACertificateMakesItAnswerByTLS(t *testing.T) {
	cert, key, pool := certificate(t)
	secret := filepath.Join(t.TempDir(), "secret")
	os.WriteFile(secret, []byte("a secret of enough letters"), 0o600)
	p := serving(t, t.TempDir(), "--tls-cert", cert, "--tls-key", key, "--token-file", secret)
	defer func() { p.Process.Signal(syscall.SIGTERM); p.Wait() }()
	client := &http.Client{
		Transport:     &http.Transport{TLSClientConfig: &tls.Config{RootCAs: pool}, ForceAttemptHTTP2: true},
		CheckRedirect: func(*http.Request, []*http.Request) error { return http.ErrUseLastResponse },
	}
	a, err := client.PostForm(p.url+"enter", url.Values{"secret": {"a secret of enough letters"}})
	if err != nil {
		t.Fatal(err)
	}
	a.Body.Close()
	if c := a.Cookies(); a.StatusCode != http.StatusSeeOther || a.ProtoMajor != 2 || len(c) != 1 || !c[0].Secure ||
		!c[0].HttpOnly || c[0].SameSite != http.SameSiteStrictMode {
		t.Errorf("%d by HTTP/%d, cookies %+v", a.StatusCode, a.ProtoMajor, c)
	}
	plain, err := http.Get(strings.Replace(p.url, "https:", "http:", 1))
	if err != nil {
		t.Fatal(err)
	}
	plain.Body.Close()
	if plain.StatusCode != http.StatusBadRequest {
		t.Errorf("without TLS it answers %d", plain.StatusCode)
	}
}

func TestACertificateThatCannotBeIsSaid(t *testing.T) {
	cert, key, _ := certificate(t)
	_, other, _ := certificate(t)
	for says, args := range map[string][]string{
		"are needed both":        {"--tls-cert", cert},
		"no such file":           {"--tls-cert", cert + "x", "--tls-key", key},
		"does not match":         {"--tls-cert", cert, "--tls-key", other},
		"failed to find any PEM": {"--tls-cert", os.Args[0], "--tls-key", key},
	} {
		dir := t.TempDir()
		t.Setenv("BLENDSEAM_VAR", dir)
		code, _, complaint := blendseam(t, append([]string{"serve", "--listen", "127.0.0.1:0"}, args...)...)
		if code != exitFailed || !strings.Contains(complaint, says) || strings.Count(complaint, "\n") != 1 {
			t.Errorf("%v: exit %d, %q", args, code, complaint)
		}
		if left, _ := os.ReadDir(dir); len(left) != 0 {
			t.Errorf("%v: something was begun: %v", args, left)
		}
	}
}
