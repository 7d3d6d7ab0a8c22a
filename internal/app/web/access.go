package web

import (
	"crypto/rand"
	"crypto/subtle"
	"net"
	"net/http"
	"net/netip"
	"net/url"

	"github.com/labstack/echo/v5"
)

// Where others than this machine can reach Pyrant, who asks must show an access key: a random text
// that is made anew at each start, printed as a part of a link, and kept by the browser as a
// cookie.

// keyCookie is the name of the cookie that holds the access key.
const keyCookie = "pyrant_key"

// Listen opens the port. Unless it can be reached from this machine alone, requests need the access
// key from then on.
func (s *Server) Listen() (net.Listener, error) {
	l, err := net.Listen("tcp", s.opt.Addr)
	if err == nil && !onlyLoopback(l.Addr()) {
		s.key = rand.Text()
	}
	return l, err
}

// onlyLoopback tells whether an address can be reached from this machine alone.
func onlyLoopback(a net.Addr) bool {
	t, ok := a.(*net.TCPAddr)
	return ok && t.IP.IsLoopback()
}

// Link returns the address by which the application is opened first, and whether it holds an access
// key.
func (s *Server) Link(a net.Addr) (link string, withKey bool) {
	host, port, _ := net.SplitHostPort(a.String())
	if ip := net.ParseIP(host); ip != nil && ip.IsUnspecified() {
		host = "127.0.0.1"
		if len(s.opt.Hosts) > 0 {
			host = s.opt.Hosts[0]
		} else if own := ownAddress(); own != "" && s.key != "" {
			host = own
		}
	}
	u := url.URL{Scheme: "http", Host: net.JoinHostPort(host, port)}
	if s.key != "" {
		u.Path, u.RawQuery = "/", url.Values{"key": {s.key}}.Encode()
	}
	return u.String(), s.key != ""
}

// ownAddress returns an address by which others reach this machine, "" where none is found.
func ownAddress() string {
	list, err := net.InterfaceAddrs()
	if err != nil {
		return ""
	}
	for _, a := range list {
		if p, err := netip.ParsePrefix(a.String()); err == nil && p.Addr().Is4() &&
			!p.Addr().IsLoopback() && !p.Addr().IsLinkLocalUnicast() {
			return p.Addr().String()
		}
	}
	return ""
}

// checkKey refuses requests without the access key, where one is needed. The link that was printed
// brings the key in its query: it is kept as a cookie, and the address is shown without it.
func (s *Server) checkKey(next echo.HandlerFunc) echo.HandlerFunc {
	return func(c *echo.Context) error {
		if s.key == "" {
			return next(c)
		}
		r := c.Request()
		if given := r.URL.Query().Get("key"); given != "" && safe(r.Method) && s.isKey(given) {
			c.SetCookie(&http.Cookie{Name: keyCookie, Value: s.key, Path: "/", HttpOnly: true,
				SameSite: http.SameSiteStrictMode})
			c.Response().Header().Set("Cache-Control", "no-store")
			return c.Redirect(http.StatusSeeOther, "/")
		}
		if k, err := c.Cookie(keyCookie); err == nil && s.isKey(k.Value) {
			return next(c)
		}
		return echo.NewHTTPError(
			http.StatusUnauthorized,
			"This Pyrant needs its access key. Open the link that it printed at its start.",
		)
	}
}

// isKey compares in the same time whatever is given.
func (s *Server) isKey(given string) bool {
	return subtle.ConstantTimeCompare([]byte(given), []byte(s.key)) == 1
}
