package sim

import (
	"bytes"
	"cmp"
	"crypto/sha256"
	"crypto/subtle"
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"math"
	"net"
	"net/http"
	"net/url"
	"slices"
	"strconv"
	"strings"
	"sync"
	"time"

	"golang.org/x/time/rate"

	"wendrik/internal/cloud"
	"wendrik/internal/core/stock"
)

// MaxBody is the size in bytes of the largest body of a request.
const MaxBody = 1 << 20

// pageSize is how many things a page has unless the call says otherwise, and maxPage how many at most.
const (
	pageSize = 100
	maxPage  = 500
)

// Server is the face of a cloud: HTTP with JSON, as Description describes it.
type Server struct {
	cloud    *Cloud
	keys     Keys
	hosts    []string // the names by which it may be asked
	rate     rate.Limit
	mu       sync.Mutex
	limiters map[string]*rate.Limiter
	mux      *http.ServeMux
}

// NewServer gives the face of a cloud. The keys are those of its callers; hosts are the names, with ports, by which browsers and
// programs may ask for it, and no others, so that no web page gets through by a name of its own; perSecond is how many calls each key
// may make, 0 for as many as it likes.
func NewServer(c *Cloud, keys map[string]Caller, hosts []string, perSecond int) *Server {
	s := &Server{cloud: c, keys: KeysOf(keys), hosts: hosts, rate: rate.Limit(perSecond), limiters: map[string]*rate.Limiter{}, mux: http.NewServeMux()}
	s.mux.HandleFunc("GET /openapi.json", func(w http.ResponseWriter, r *http.Request) { s.answer(w, http.StatusOK, Description()) })
	s.on("GET /v1/cloud", func(me Caller, r *http.Request) (int, any, error) { return http.StatusOK, c.Hello(me), nil })
	s.on("GET /v1/neighbours", func(me Caller, r *http.Request) (int, any, error) { return http.StatusOK, c.Neighbours(me), nil })
	s.on("GET /v1/log", s.log)
	s.on("POST /v1/locks", s.hold(c.Lock))
	s.on("DELETE /v1/locks", s.hold(c.Unlock))
	s.on("GET /v1/things", func(me Caller, r *http.Request) (int, any, error) {
		return s.list(me, r, stock.Kind(r.URL.Query().Get("kind")))
	})
	s.on("GET /v1/things/{id}", s.get(""))
	for i := range stock.Specs {
		k := stock.Specs[i].Kind
		at := "/v1/" + collection(k)
		s.on("GET "+at, func(me Caller, r *http.Request) (int, any, error) { return s.list(me, r, k) })
		s.on("POST "+at, s.make(k))
		s.on("GET "+at+"/{id}", s.get(k))
		s.on("PATCH "+at+"/{id}", s.change(k))
		s.on("DELETE "+at+"/{id}", s.remove(k))
		if stock.Specs[i].Prop("accepted") != nil {
			s.on("POST "+at+"/{id}/accept", s.accept(k))
		}
	}
	s.mux.HandleFunc("/", func(w http.ResponseWriter, r *http.Request) {
		if _, err := s.caller(r); err != nil {
			s.refuse(w, err)
			return
		}
		s.refuse(w, cloud.Refused(cloud.NotFound, "there is nothing at %s %.80q; /openapi.json tells what there is", r.Method, r.URL.Path))
	})
	return s
}

// collection is the place of all things of a kind.
func collection(k stock.Kind) string { return string(k) + "s" }

// ServeHTTP answers a request, when it is no web page's.
func (s *Server) ServeHTTP(w http.ResponseWriter, r *http.Request) {
	w.Header().Set("X-Content-Type-Options", "nosniff")
	w.Header().Set("Cache-Control", "no-store")
	if err := Guard(r, s.hosts); err != nil {
		s.refuse(w, err)
		return
	}
	s.mux.ServeHTTP(w, r)
}

// Guard says why a request is refused before anything of it is looked at: because it asks for a host of another name than those that
// are given, or comes from a web page.
func Guard(r *http.Request, hosts []string) error {
	switch {
	case !slices.Contains(hosts, strings.ToLower(r.Host)):
		return cloud.Refused(cloud.Denied, "this is not %.80q", r.Host)
	case r.Header.Get("Origin") != "" || r.Header.Get("Sec-Fetch-Site") != "" && r.Header.Get("Sec-Fetch-Site") != "none":
		return cloud.Refused(cloud.Denied, "a web page cannot ask here")
	}
	return nil
}

// Hosts are the names by which what listens at an address may be asked for.
func Hosts(a net.Addr) []string {
	host, port, err := net.SplitHostPort(a.String())
	if err != nil {
		return nil
	}
	all := []string{net.JoinHostPort(host, port)}
	if ip := net.ParseIP(host); ip != nil && (ip.IsLoopback() || ip.IsUnspecified()) {
		all = append(all, "localhost:"+port, "127.0.0.1:"+port, "[::1]:"+port)
	}
	if ip := net.ParseIP(host); ip != nil && ip.IsUnspecified() {
		addresses, _ := net.InterfaceAddrs()
		for _, x := range addresses {
			if n, is := x.(*net.IPNet); is {
				all = append(all, net.JoinHostPort(n.IP.String(), port))
			}
		}
	}
	slices.Sort(all)
	return slices.Compact(all)
}

// Keys are whose keys there are, by their hashes.
type Keys map[[32]byte]Caller

// KeysOf are callers by their keys.
func KeysOf(all map[string]Caller) Keys {
	k := Keys{}
	for key, caller := range all {
		k[sha256.Sum256([]byte(key))] = caller
	}
	return k
}

// Whose is whose key a request has (RFC 6750).
func (k Keys) Whose(r *http.Request) (who Caller, found bool) {
	scheme, key, _ := strings.Cut(r.Header.Get("Authorization"), " ")
	hash := sha256.Sum256([]byte(strings.TrimSpace(key)))
	for known, caller := range k {
		if strings.EqualFold(scheme, "Bearer") && subtle.ConstantTimeCompare(known[:], hash[:]) == 1 {
			return caller, true
		}
	}
	return Caller{}, false
}

// caller is whose key a request has, once it may make another call.
func (s *Server) caller(r *http.Request) (Caller, error) {
	me, found := s.keys.Whose(r)
	if !found {
		return Caller{}, errNoKey
	}
	return me, s.allow(me)
}

var errNoKey = cloud.Refused(cloud.Denied, "the request has no key of an owner: Authorization: Bearer KEY")

// allow counts a call against the rate of its key.
func (s *Server) allow(me Caller) error {
	if s.rate == 0 {
		return nil
	}
	s.mu.Lock()
	l := s.limiters[me.Name]
	if l == nil {
		l = rate.NewLimiter(s.rate, max(1, int(s.rate)))
		s.limiters[me.Name] = l
	}
	s.mu.Unlock()
	if x := l.Reserve(); x.Delay() > 0 {
		after := x.Delay()
		x.Cancel()
		return &cloud.Refusal{Reason: cloud.Limited, Message: fmt.Sprintf("more than %.0f calls a second; come again later", float64(s.rate)), After: max(after, 10*time.Millisecond)}
	}
	return nil
}

// on answers requests of callers with a key.
func (s *Server) on(pattern string, do func(me Caller, r *http.Request) (int, any, error)) {
	s.mux.HandleFunc(pattern, func(w http.ResponseWriter, r *http.Request) {
		r.Body = http.MaxBytesReader(w, r.Body, MaxBody)
		me, err := s.caller(r)
		if err != nil {
			s.refuse(w, err)
			return
		}
		status, out, err := do(me, r)
		switch {
		case errors.Is(err, errLost):
			panic(http.ErrAbortHandler) // the connection ends
		case err != nil:
			s.refuse(w, err)
		default:
			s.answer(w, status, out)
		}
	})
}

func (s *Server) answer(w http.ResponseWriter, status int, out any) {
	if out == nil {
		w.WriteHeader(status)
		return
	}
	w.Header().Set("Content-Type", "application/json")
	w.WriteHeader(status)
	json.NewEncoder(w).Encode(out)
}

// problem is what says no (RFC 9457).
type problem struct {
	Title   string       `json:"title"`
	Status  int          `json:"status"`
	Detail  string       `json:"detail"`
	Reason  cloud.Reason `json:"reason"`
	AfterMS int64        `json:"after_ms,omitempty"`
}

// statuses are the HTTP statuses of refusals.
var statuses = map[cloud.Reason]int{cloud.Invalid: 422, cloud.Denied: 403, cloud.NotFound: 404, cloud.NotReady: 409, cloud.Needed: 409, cloud.Conflict: 409, cloud.Quota: 403, cloud.Limited: 429, cloud.Fault: 500}

func (s *Server) refuse(w http.ResponseWriter, err error) {
	r := &cloud.Refusal{Reason: cloud.Fault, Message: "the cloud is at fault"}
	errors.As(err, &r)
	status := cmp.Or(statuses[r.Reason], 500)
	var size *http.MaxBytesError
	switch {
	case err == error(errNoKey):
		status = http.StatusUnauthorized
		w.Header().Set("WWW-Authenticate", "Bearer")
	case errors.As(err, &size):
		status = http.StatusRequestEntityTooLarge
		r = cloud.Refused(cloud.Invalid, "the body has more than %d bytes", MaxBody)
	case errors.Is(err, errMedia):
		status = http.StatusUnsupportedMediaType
		r = cloud.Refused(cloud.Invalid, "%s", errMedia)
	}
	if r.After > 0 {
		w.Header().Set("Retry-After", strconv.Itoa(int(math.Ceil(r.After.Seconds()))))
	}
	w.Header().Set("Content-Type", "application/problem+json")
	w.WriteHeader(status)
	json.NewEncoder(w).Encode(problem{http.StatusText(status), status, r.Message, r.Reason, r.After.Milliseconds()})
}

var errMedia = errors.New("the body must be application/json")

// read reads the body of a request into a value; keys that it does not have are refused.
func read(r *http.Request, into any) error {
	if media, _, _ := strings.Cut(r.Header.Get("Content-Type"), ";"); strings.TrimSpace(strings.ToLower(media)) != "application/json" {
		return errMedia
	}
	raw, err := io.ReadAll(r.Body)
	if err != nil {
		return err
	}
	d := json.NewDecoder(bytes.NewReader(raw))
	d.DisallowUnknownFields()
	if err := d.Decode(into); err != nil {
		return cloud.Refused(cloud.Invalid, "the body cannot be read: %s", strings.TrimPrefix(err.Error(), "json: "))
	}
	if _, err := d.Token(); err != io.EOF {
		return cloud.Refused(cloud.Invalid, "something stands behind the body's JSON")
	}
	return nil
}

// hold answers what takes a lock, or gives it up.
func (s *Server) hold(do func(Caller, *cloud.Hold) error) func(Caller, *http.Request) (int, any, error) {
	return func(me Caller, r *http.Request) (int, any, error) {
		h := &cloud.Hold{}
		if err := read(r, h); err != nil {
			return 0, nil, err
		}
		return http.StatusNoContent, nil, do(me, h)
	}
}

// newThing is the body of a request that makes a thing.
type newThing struct {
	Name   string            `json:"name"`
	Labels map[string]string `json:"labels"`
	Props  map[string]any    `json:"props"`
	Token  string            `json:"token"`
	Note   string            `json:"note"`
}

func (s *Server) make(k stock.Kind) func(Caller, *http.Request) (int, any, error) {
	return func(me Caller, r *http.Request) (int, any, error) {
		var in newThing
		if err := read(r, &in); err != nil {
			return 0, nil, err
		}
		t, err := s.cloud.Make(r.Context(), me, &cloud.Order{Kind: k, Name: in.Name, Labels: in.Labels, Props: in.Props, Token: in.Token, Note: in.Note})
		return http.StatusCreated, t, err
	}
}

// of says when a thing is none of the kind that a place is for.
func (s *Server) of(me Caller, r *http.Request, k stock.Kind) (*cloud.Thing, error) {
	t, err := s.cloud.Get(me, r.PathValue("id"))
	if err == nil && k != "" && t.Kind != k {
		return nil, cloud.Refused(cloud.NotFound, "%s is a %s, and no %s", t.ID, t.Kind, k)
	}
	return t, err
}

func (s *Server) get(k stock.Kind) func(Caller, *http.Request) (int, any, error) {
	return func(me Caller, r *http.Request) (int, any, error) {
		t, err := s.of(me, r, k)
		return http.StatusOK, t, err
	}
}

func (s *Server) change(k stock.Kind) func(Caller, *http.Request) (int, any, error) {
	return func(me Caller, r *http.Request) (int, any, error) {
		var in struct {
			Props  map[string]any `json:"props"`
			Labels map[string]any `json:"labels"`
			Note   string         `json:"note"`
		}
		if err := read(r, &in); err != nil {
			return 0, nil, err
		}
		if _, err := s.of(me, r, k); err != nil {
			return 0, nil, err
		}
		t, err := s.cloud.Change(r.Context(), me, &cloud.Alteration{ID: r.PathValue("id"), Props: in.Props, Labels: in.Labels, Note: in.Note})
		return http.StatusOK, t, err
	}
}

func (s *Server) remove(k stock.Kind) func(Caller, *http.Request) (int, any, error) {
	return func(me Caller, r *http.Request) (int, any, error) {
		if _, err := s.of(me, r, k); err != nil {
			return 0, nil, err
		}
		return http.StatusNoContent, nil, s.cloud.Remove(r.Context(), me, r.PathValue("id"), r.URL.Query().Get("note"))
	}
}

func (s *Server) accept(k stock.Kind) func(Caller, *http.Request) (int, any, error) {
	return func(me Caller, r *http.Request) (int, any, error) {
		var in struct {
			Side string `json:"side"`
			Note string `json:"note"`
		}
		if err := read(r, &in); err != nil {
			return 0, nil, err
		}
		if _, err := s.of(me, r, k); err != nil {
			return 0, nil, err
		}
		t, err := s.cloud.Accept(r.Context(), me, r.PathValue("id"), in.Side, in.Note)
		return http.StatusOK, t, err
	}
}

// number reads a whole number of a query.
func number(q url.Values, name string, unless, most int) (int, error) {
	if q.Get(name) == "" {
		return unless, nil
	}
	n, err := strconv.Atoi(q.Get(name))
	if err != nil || n < 0 || n > most {
		return 0, cloud.Refused(cloud.Invalid, "%s must be a number up to %d, not %.40q", name, most, q.Get(name))
	}
	return n, nil
}

func (s *Server) list(me Caller, r *http.Request, k stock.Kind) (int, any, error) {
	q := r.URL.Query()
	most, err := number(q, "limit", pageSize, maxPage)
	if err != nil {
		return 0, nil, err
	}
	f := Filter{Kind: k, Name: q.Get("name"), After: q.Get("page"), Most: max(most, 1), Labels: map[string]string{}}
	for _, label := range q["label"] {
		key, value, found := strings.Cut(label, "=")
		if !found {
			return 0, nil, cloud.Refused(cloud.Invalid, "label must be KEY=VALUE, not %.60q", label)
		}
		f.Labels[key] = value
	}
	page, err := s.cloud.List(me, f)
	return http.StatusOK, page, err
}

func (s *Server) log(me Caller, r *http.Request) (int, any, error) {
	after, err := number(r.URL.Query(), "after", 0, math.MaxInt32)
	if err != nil {
		return 0, nil, err
	}
	e, err := s.cloud.Log(me, after)
	return http.StatusOK, e, err
}
