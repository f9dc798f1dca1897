package main

import (
	"context"
	"fmt"
	"net/netip"
	"net/url"
	"os"
	"strings"

	"blendseam/web/access"
)

// people says who else than this program knows who somebody is.
type people struct {
	TrustUserHeader string   `help:"Header by which a proxy names people; none sign in here." placeholder:"NAME"`
	TrustedProxies  []string `help:"Addresses of the proxies whose headers count." placeholder:"ADDRESS"`
	OIDCIssuer      string   `name:"oidc-issuer" help:"OpenID Connect provider to sign in at." placeholder:"URL"`
	OIDCClient      string   `name:"oidc-client" help:"What we are called there." placeholder:"ID"`
	OIDCSecretFile  string   `name:"oidc-secret-file" help:"File with the secret that it gave us." placeholder:"FILE"`
}

// publicURL is the address that people open.
func publicURL(text string) (*url.URL, error) {
	u, err := url.Parse(text)
	if err != nil || u.Scheme != "https" && u.Scheme != "http" || u.Host == "" || strings.Trim(u.Path, "/") != "" {
		return nil, fmt.Errorf("--public-url: %s should look like https://seams.example", text)
	}
	return u, nil
}

// gate is who is believed about people. secured tells whether we answer by https ourselves.
func (p people) gate(ctx context.Context, public string, secured bool) (c access.Config, err error) {
	c.Secure, c.Header = secured || strings.HasPrefix(public, "https:"), p.TrustUserHeader
	for _, text := range p.TrustedProxies {
		at, err := netip.ParsePrefix(text)
		if one, e := netip.ParseAddr(text); e == nil {
			at, err = netip.PrefixFrom(one, one.BitLen()), nil
		}
		if err != nil {
			return c, fmt.Errorf("--trusted-proxies: %s is no address such as 10.0.0.7 or 10.0.0.0/24", text)
		}
		c.Proxies = append(c.Proxies, at)
	}
	switch {
	case c.Header != "" && len(c.Proxies) == 0:
		return c, fmt.Errorf("--trust-user-header: name the proxies that may set it by --trusted-proxies; anybody else " +
			"could too")
	case p.OIDCIssuer == "":
		return c, nil
	case c.Header != "":
		return c, fmt.Errorf("--oidc-issuer: a proxy names people by --trust-user-header already; choose one of the two")
	case p.OIDCClient == "" || p.OIDCSecretFile == "" || public == "":
		return c, fmt.Errorf("--oidc-issuer: --oidc-client, --oidc-secret-file and --public-url are needed, too")
	}
	secret, err := os.ReadFile(p.OIDCSecretFile)
	if err != nil {
		return c, fmt.Errorf("--oidc-secret-file: %w", err)
	}
	c.Outside, err = access.NewOutside(ctx, p.OIDCIssuer, p.OIDCClient, strings.TrimSpace(string(secret)),
		strings.TrimSuffix(public, "/"))
	if err != nil {
		return c, fmt.Errorf("--oidc-issuer: %s does not answer as one: %w", p.OIDCIssuer, err)
	}
	return c, nil
}
