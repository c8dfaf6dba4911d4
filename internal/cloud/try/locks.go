package try

import "wendrik/internal/cloud"

// lockEstate takes the lock of an estate of the run's own with two tokens.
func (r *run) lockEstate() error {
	l, is := r.d.(cloud.Locker)
	if !r.hello.Locks || !is {
		return skip("hello says that there are no locks")
	}
	hold := func(token string) *cloud.Hold {
		return &cloud.Hold{Estate: "try-" + r.mark, Token: token, By: r.note, Seconds: 60}
	}
	first, second := hold(r.token()), hold(r.token())
	defer func() { _ = l.Unlock(r.ctx, first) }() // which it ends with in any case, and which ends by itself
	for _, what := range []string{"lock", "lock again with the same token"} {
		if err := l.Lock(r.ctx, first); err != nil {
			return bad("%s was answered with %s", what, said(err))
		}
	}
	if err := r.refused(l.Lock(r.ctx, second), cloud.Conflict); err != nil {
		return err
	}
	if err := l.Unlock(r.ctx, second); err != nil {
		return bad("unlock with a token that has no lock was answered with %s", said(err))
	}
	if err := r.refused(l.Lock(r.ctx, second), cloud.Conflict); err != nil {
		return bad("unlock with another token gave the lock up")
	}
	if err := l.Unlock(r.ctx, first); err != nil {
		return bad("unlock was answered with %s", said(err))
	}
	if err := l.Lock(r.ctx, second); err != nil {
		return bad("once it was given up, lock was answered with %s", said(err))
	}
	return l.Unlock(r.ctx, second)
}
