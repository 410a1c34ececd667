package server

import (
	"fmt"
	"net"
	"net/http"
	"net/netip"
	"strings"

	"roster/core/android"
)

// ParseProxies reads the addresses and networks, separated by commas, of the
// proxies whose word counts for where a request came from.
func ParseProxies(text string) (list []netip.Prefix, err error) {
	for part := range strings.SplitSeq(text, ",") {
		if part = strings.TrimSpace(part); part == "" {
			continue
		}
		prefix, err := netip.ParsePrefix(part)
		if err != nil {
			address, err := netip.ParseAddr(part)
			if err != nil {
				return nil, fmt.Errorf("%q is neither an address such as 192.0.2.7 nor a network such as 192.0.2.0/24", part)
			}
			prefix = netip.PrefixFrom(address, address.BitLen())
		}
		list = append(list, prefix.Masked())
	}
	return list, nil
}

// connectionOf finds out where a request came from. What headers say of that
// counts as far as proxies said it that are named: anybody can write one.
func (s *Server) connectionOf(r *http.Request) connection {
	host, _, err := net.SplitHostPort(r.RemoteAddr)
	if err != nil {
		host = r.RemoteAddr
	}
	c := connection{address: host, secure: r.TLS != nil, agent: android.Printable(r.UserAgent(), 200)}
	if !s.proxy(host) {
		return c
	}
	c.secure = c.secure || strings.EqualFold(strings.TrimSpace(lastOf(r.Header.Values("X-Forwarded-Proto"))), "https")
	// Each proxy appends who asked it: from the end on, the first that is no
	// proxy of ours is where the request came from.
	hops := strings.Split(strings.Join(r.Header.Values("X-Forwarded-For"), ","), ",")
	for i := len(hops) - 1; i >= 0; i-- {
		hop := strings.TrimSpace(hops[i])
		if _, err := netip.ParseAddr(hop); err != nil {
			break
		}
		if c.address = hop; !s.proxy(hop) {
			break
		}
	}
	return c
}

// proxy reports whether an address is that of a proxy whose word counts.
func (s *Server) proxy(address string) bool {
	a, err := netip.ParseAddr(address)
	if err != nil {
		return false
	}
	for _, p := range s.config.TrustedProxies {
		if p.Contains(a.Unmap()) || p.Contains(a) {
			return true
		}
	}
	return false
}

// lastOf is what the nearest proxy wrote of a header that several may have
// written.
func lastOf(values []string) string {
	if len(values) == 0 {
		return ""
	}
	parts := strings.Split(values[len(values)-1], ",")
	return parts[len(parts)-1]
}
