module wendrik/bench

go 1.26.0

require wendrik v0.0.0

require go4.org/netipx v0.0.0-20260823151212-3075585bcbeb

require github.com/gaissmai/bart v0.30.0

replace wendrik => ../
