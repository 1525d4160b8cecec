// Package cert makes the certificate with which phones and tablets on the local
// network can trust this program: an authority of its own, and a certificate
// for the names and addresses that the machine has now.
package cert

import (
	"crypto/ecdsa"
	"crypto/elliptic"
	"crypto/rand"
	"crypto/tls"
	"crypto/x509"
	"crypto/x509/pkix"
	"encoding/pem"
	"errors"
	"fmt"
	"io/fs"
	"math/big"
	"net"
	"os"
	"path/filepath"
	"slices"
	"time"
)

const (
	authorityLasts = 2 * 365 * 24 * time.Hour
	lasts          = 397 * 24 * time.Hour // phones refuse longer ones
	early          = 30 * 24 * time.Hour  // before the end, when a new one is made
)

// Own is a certificate and the authority that devices must trust.
type Own struct {
	Leaf      tls.Certificate
	Authority []byte // DER
	Anew      bool   // devices that trusted an earlier authority must trust this one
}

// For finds the certificate kept in a folder, or makes it: the authority once,
// the certificate anew when it ends soon or the machine's addresses changed.
func For(folder string, now time.Time, names []string, addresses []net.IP) (Own, error) {
	if err := os.MkdirAll(folder, 0o700); err != nil {
		return Own{}, err
	}
	ca, err := load(folder, "authority")
	anew := false
	switch {
	case errors.Is(err, fs.ErrNotExist):
		ca, err = makeAuthority(folder, now, names, addresses)
	case err == nil && !speaksFor(ca.Leaf, now, names, addresses):
		anew = true
		ca, err = makeAuthority(folder, now, names, addresses)
	}
	if err != nil {
		return Own{}, fmt.Errorf("the authority's certificate: %w", err)
	}
	leaf, err := load(folder, "server")
	if err != nil && !errors.Is(err, fs.ErrNotExist) {
		return Own{}, fmt.Errorf("the certificate: %w", err)
	}
	if err != nil || !fits(leaf.Leaf, ca.Leaf, now, names, addresses) {
		if leaf, err = makeLeaf(folder, ca, now, names, addresses); err != nil {
			return Own{}, err
		}
	}
	leaf.Certificate = append(leaf.Certificate[:1], ca.Certificate[0])
	return Own{leaf, ca.Certificate[0], anew}, nil
}

// fits reports whether a certificate still serves.
func fits(leaf, ca *x509.Certificate, now time.Time, names []string, addresses []net.IP) bool {
	if now.Add(early).After(leaf.NotAfter) || leaf.CheckSignatureFrom(ca) != nil {
		return false
	}
	for _, n := range names {
		if leaf.VerifyHostname(n) != nil {
			return false
		}
	}
	for _, a := range addresses {
		if leaf.VerifyHostname(a.String()) != nil {
			return false
		}
	}
	return true
}

// local are the networks that are nobody's on the internet: RFC 1918, 3927, 4193,
// 4291, and loopback.
var local = []string{"10.0.0.0/8", "172.16.0.0/12", "192.168.0.0/16", "169.254.0.0/16", "127.0.0.0/8", "::1/128", "fc00::/7", "fe80::/10"}

// makeAuthority makes an authority that speaks for this machine's names and for
// local addresses alone: a device that trusts it trusts nobody else by it.
func makeAuthority(folder string, now time.Time, names []string, addresses []net.IP) (tls.Certificate, error) {
	host, _ := os.Hostname()
	var networks []*net.IPNet
	for _, l := range local {
		_, n, err := net.ParseCIDR(l)
		if err != nil {
			return tls.Certificate{}, err
		}
		networks = append(networks, n)
	}
	for _, a := range addresses {
		if !within(networks, a) { // a machine with an address of its own on the internet
			bits := 8 * len(a)
			if v4 := a.To4(); v4 != nil {
				a, bits = v4, 32
			}
			networks = append(networks, &net.IPNet{IP: a, Mask: net.CIDRMask(bits, bits)})
		}
	}
	return issue(folder, "authority", &x509.Certificate{
		Subject: pkix.Name{CommonName: "Neokinema on " + host}, NotBefore: now.Add(-time.Hour), NotAfter: now.Add(authorityLasts),
		IsCA: true, BasicConstraintsValid: true, MaxPathLenZero: true, KeyUsage: x509.KeyUsageCertSign | x509.KeyUsageDigitalSignature,
		PermittedDNSDomainsCritical: true, PermittedDNSDomains: names, PermittedIPRanges: networks,
	}, nil)
}

func within(networks []*net.IPNet, a net.IP) bool {
	return slices.ContainsFunc(networks, func(n *net.IPNet) bool { return n.Contains(a) })
}

// speaksFor reports whether an authority still lasts, is bound to names and
// addresses, and may vouch for this machine's.
func speaksFor(ca *x509.Certificate, now time.Time, names []string, addresses []net.IP) bool {
	if now.Add(early).After(ca.NotAfter) || ca.NotAfter.Sub(ca.NotBefore) > authorityLasts+24*time.Hour || len(ca.PermittedIPRanges) == 0 {
		return false
	}
	for _, n := range names {
		if !slices.Contains(ca.PermittedDNSDomains, n) {
			return false
		}
	}
	for _, a := range addresses {
		if !within(ca.PermittedIPRanges, a) {
			return false
		}
	}
	return true
}

func makeLeaf(folder string, ca tls.Certificate, now time.Time, names []string, addresses []net.IP) (tls.Certificate, error) {
	return issue(folder, "server", &x509.Certificate{
		Subject: pkix.Name{CommonName: "Neokinema"}, NotBefore: now.Add(-time.Hour), NotAfter: now.Add(lasts), DNSNames: names, IPAddresses: addresses,
		KeyUsage: x509.KeyUsageDigitalSignature, ExtKeyUsage: []x509.ExtKeyUsage{x509.ExtKeyUsageServerAuth},
	}, &ca)
}

// issue makes a key and a certificate, signed by an authority or by itself.
func issue(folder, name string, c *x509.Certificate, by *tls.Certificate) (tls.Certificate, error) {
	key, err := ecdsa.GenerateKey(elliptic.P256(), rand.Reader)
	if err != nil {
		return tls.Certificate{}, err
	}
	if c.SerialNumber, err = rand.Int(rand.Reader, new(big.Int).Lsh(big.NewInt(1), 120)); err != nil {
		return tls.Certificate{}, err
	}
	parent, signer := c, any(key)
	if by != nil {
		parent, signer = by.Leaf, by.PrivateKey
	}
	der, err := x509.CreateCertificate(rand.Reader, c, parent, &key.PublicKey, signer)
	if err != nil {
		return tls.Certificate{}, err
	}
	secret, err := x509.MarshalPKCS8PrivateKey(key)
	if err != nil {
		return tls.Certificate{}, err
	}
	both := append(pem.EncodeToMemory(&pem.Block{Type: "CERTIFICATE", Bytes: der}), pem.EncodeToMemory(&pem.Block{Type: "PRIVATE KEY", Bytes: secret})...)
	if err := os.WriteFile(filepath.Join(folder, name+".pem"), both, 0o600); err != nil {
		return tls.Certificate{}, err
	}
	return load(folder, name)
}

func load(folder, name string) (tls.Certificate, error) {
	both, err := os.ReadFile(filepath.Join(folder, name+".pem"))
	if err != nil {
		return tls.Certificate{}, err
	}
	return tls.X509KeyPair(both, both)
}

// Here are this machine's names and addresses on its networks.
func Here() (names []string, addresses []net.IP, err error) {
	names = []string{"localhost"}
	if host, err := os.Hostname(); err == nil && host != "localhost" {
		names = append(names, host, host+".local")
	}
	all, err := net.InterfaceAddrs()
	if err != nil {
		return nil, nil, err
	}
	for _, a := range all {
		if n, ok := a.(*net.IPNet); ok && !n.IP.IsLinkLocalUnicast() {
			addresses = append(addresses, n.IP)
		}
	}
	return names, addresses, nil
}
