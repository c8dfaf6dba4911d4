package sim

import (
	"time"

	"wendrik/internal/cloud"
)

// maxHold is for how long a lock is taken at most; a build that goes on takes it again before that.
const maxHold = 10 * time.Minute

// lock is who has an estate of an owner for itself, since when, and until when.
type lock struct {
	token, by    string
	since, until time.Time
}

// Lock takes the lock of an estate, or takes it for longer; a build that ends before its time gives none back, and so a lock ends by itself. It
// is kept with the state, so that a cloud that starts again knows of it.
func (c *Cloud) Lock(me Caller, h *cloud.Hold) error {
	if h.Estate == "" || h.Token == "" || h.Seconds < 1 || time.Duration(h.Seconds)*time.Second > maxHold {
		return cloud.Refused(cloud.Invalid, "a lock has an estate, a token, and from 1 to %d seconds", int(maxHold/time.Second))
	}
	c.mu.Lock()
	defer c.mu.Unlock()
	now, key := c.o.Now(), [2]string{me.Owner, h.Estate}
	had, taken := c.locks[key]
	taken = taken && had.until.After(now)
	if taken && had.token != h.Token {
		return cloud.Refused(cloud.Conflict, "%.80q is being built by %.80q since %s; that ends by itself at %s, unless it goes on", h.Estate, had.by, had.since.UTC().Format(time.RFC3339), had.until.UTC().Format(time.RFC3339))
	}
	since := now
	if taken {
		since = had.since
	}
	l := lock{h.Token, me.Name + " " + h.By, since, now.Add(time.Duration(h.Seconds) * time.Second)}
	if err := c.store.keepLock(me.Owner, h.Estate, l); err != nil {
		return cloud.Refused(cloud.Fault, "the state of the cloud cannot be written: %s", err)
	}
	c.locks[key] = l
	return nil
}

// Unlock gives a lock up; one that another has stays.
func (c *Cloud) Unlock(me Caller, h *cloud.Hold) error {
	c.mu.Lock()
	defer c.mu.Unlock()
	key := [2]string{me.Owner, h.Estate}
	if c.locks[key].token != h.Token {
		return nil
	}
	if err := c.store.dropLock(me.Owner, h.Estate); err != nil {
		return cloud.Refused(cloud.Fault, "the state of the cloud cannot be written: %s", err)
	}
	delete(c.locks, key)
	return nil
}
