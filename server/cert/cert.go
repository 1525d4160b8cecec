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
	"time"
)

const (
	authorityLasts = 10 * 365 * 24 * time.Hour
	lasts          = 397 * 24 * time.Hour // phones refuse longer ones
	early          = 30 * 24 * time.Hour  // before the end, when a new one is made
)

// Own is a certificate and the authority that devices must trust.
type Own struct {
	Leaf      tls.Certificate
	Authority []byte // DER
}

// For finds the certificate kept in a folder, or makes it: the authority once,
// the certificate anew when it ends soon or the machine's addresses changed.
func For(folder string, now time.Time, names []string, addresses []net.IP) (Own, error) {
	if err := os.MkdirAll(folder, 0o700); err != nil {
		return Own{}, err
	}
	ca, err := load(folder, "authority")
	if errors.Is(err, fs.ErrNotExist) {
		ca, err = makeAuthority(folder, now)
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
	return Own{leaf, ca.Certificate[0]}, nil
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

func makeAuthority(folder string, now time.Time) (tls.Certificate, error) {
	host, _ := os.Hostname()
	return issue(folder, "authority", &x509.Certificate{
		Subject: pkix.Name{CommonName: "Neokinema on " + host}, NotBefore: now.Add(-time.Hour), NotAfter: now.Add(authorityLasts),
		IsCA: true, BasicConstraintsValid: true, MaxPathLenZero: true, KeyUsage: x509.KeyUsageCertSign | x509.KeyUsageDigitalSignature,
	}, nil)
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
