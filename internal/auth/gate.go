// Package auth holds what signing in needs and no route knows: how passwords are
// kept, which are too easy to guess, and how often somebody may try.
package auth

import (
	"context"
	"errors"
	"net"
	"net/netip"
	"strings"
	"sync"
	"time"
)

// Budgets of failures within a minute. A name has a far larger one than an address, so
// that nobody locks another person out by failing in that person's name: it takes ten
// addresses.
const (
	failuresOfAddress = 20
	failuresOfName    = 200
	failuresOfPair    = 10 // of a name at an address where it signed in before
	waitingOfAddress  = 4
	maxWaiting        = 8 // of each of the two queues
	maxKeys           = 100_000
)

// ErrTooMany refuses a try. Nothing was compared.
var ErrTooMany = errors.New("too many tries")

// Gate decides who may have a password compared now. Comparing takes much memory and
// a whole core on purpose, so few are compared at a time and few wait; everybody else
// is refused at once.
type Gate struct {
	now     func() time.Time
	slots   chan struct{} // one for each core
	trusted chan struct{} // for names at addresses where they signed in before

	mu       sync.Mutex
	minute   int64
	failures map[string]int
	signedIn map[string]bool // name and address
	waiting  map[string]int  // by address, or by the name of the queue
}

// NewGate makes a gate for a machine with so many cores. now is the clock.
func NewGate(cores int, now func() time.Time) *Gate {
	return &Gate{
		now:      now,
		slots:    make(chan struct{}, max(1, cores)),
		trusted:  make(chan struct{}, 1),
		failures: map[string]int{},
		signedIn: map[string]bool{},
		waiting:  map[string]int{},
	}
}

// Enter waits for a turn to compare the password of a name for somebody at an address.
// The caller must call done with the result. The error is [ErrTooMany], or that of ctx.
func (g *Gate) Enter(ctx context.Context, name, address string) (done func(right bool), err error) {
	pair := name + "\n" + address
	g.mu.Lock()
	queue, slots := "", g.slots
	budgets := []budget{{"address " + address, failuresOfAddress}, {"name " + name, failuresOfName}}
	if g.signedIn[pair] {
		queue, slots = "trusted", g.trusted
		budgets = []budget{{"pair " + pair, failuresOfPair}}
	}
	entered := g.take(budgets, queue, address)
	g.mu.Unlock()
	if !entered {
		return nil, ErrTooMany
	}
	select {
	case slots <- struct{}{}:
	case <-ctx.Done():
		g.leave(budgets, queue, address, true)
		return nil, ctx.Err()
	}
	return func(right bool) {
		<-slots
		if right {
			g.remember(pair)
		}
		g.leave(budgets, queue, address, right)
	}, nil
}

type budget struct {
	key  string
	most int
}

// take takes one of each budget and a place in the queue, or nothing. A try counts as a
// failure until it was right, so that many at once cannot exceed a budget.
func (g *Gate) take(budgets []budget, queue, address string) bool {
	if minute := g.now().Unix() / 60; minute != g.minute || len(g.failures) > maxKeys {
		g.minute = minute
		clear(g.failures)
	}
	if g.waiting["queue "+queue] >= maxWaiting || queue == "" && g.waiting[address] >= waitingOfAddress {
		return false
	}
	for _, b := range budgets {
		if g.failures[b.key] >= b.most {
			return false
		}
	}
	for _, b := range budgets {
		g.failures[b.key]++
	}
	g.waiting["queue "+queue]++
	g.waiting[address]++
	return true
}

func (g *Gate) leave(budgets []budget, queue, address string, giveBack bool) {
	g.mu.Lock()
	defer g.mu.Unlock()
	for _, key := range []string{"queue " + queue, address} {
		if g.waiting[key]--; g.waiting[key] <= 0 {
			delete(g.waiting, key)
		}
	}
	if !giveBack {
		return
	}
	for _, b := range budgets {
		if g.failures[b.key] > 0 { // another minute may have begun
			g.failures[b.key]--
		}
	}
}

func (g *Gate) remember(pair string) {
	g.mu.Lock()
	defer g.mu.Unlock()
	if len(g.signedIn) >= maxKeys {
		clear(g.signedIn)
	}
	g.signedIn[pair] = true
}

// Address is whom a budget is for: the host of a network address, and of IPv6 the
// network of 64 bits, which is one customer's (RFC 6177). forwarded is the header
// X-Forwarded-For where a proxy that is trusted wrote its last part; "" otherwise.
func Address(remote, forwarded string) string {
	if i := strings.LastIndexByte(forwarded, ','); i >= 0 {
		forwarded = forwarded[i+1:]
	}
	host := strings.TrimSpace(forwarded)
	if host == "" {
		if h, _, err := net.SplitHostPort(remote); err == nil {
			host = h
		} else {
			host = remote
		}
	}
	ip, err := netip.ParseAddr(host)
	if err != nil {
		return "unknown"
	}
	if ip = ip.Unmap().WithZone(""); ip.Is4() {
		return ip.String()
	}
	network, _ := ip.Prefix(64)
	return network.String()
}
