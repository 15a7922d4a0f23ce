package fleet

import (
	"context"
	"sync"
	"time"

	lru "github.com/hashicorp/golang-lru/v2"

	"diligentledger/core/ledger"
	"diligentledger/internal/store"
)

// mostLines of folded accounts that are kept in memory: about 100 MB at 2 kB a line (measured).
const mostLines = 50_000

// folded is an account with its lines, kept by the head of its chain and the facts of its unit: it
// needs no notice of a change.
type folded struct {
	// The account computes some figures when they are asked for first.
	sync.Mutex
	account ledger.Account
	entries []ledger.Entry
	read    time.Time
}

// keptFor is how long a folded account serves: what the database damaged or a person changed past
// the program shows after it at the latest (judgement).
const keptFor = time.Minute

// foldedAccounts are the last ones that pages were opened for.
type foldedAccounts struct {
	sync.Mutex
	lines int
	kept  *lru.Cache[store.AccountKey, *folded]
}

func newFoldedAccounts() *foldedAccounts {
	f := &foldedAccounts{}
	kept, err := lru.NewWithEvict(mostLines, func(_ store.AccountKey, one *folded) { f.lines -= len(one.entries) + 1 })
	if err != nil {
		panic(err) // the size is a positive number
	}
	f.kept = kept
	return f
}

func (f *foldedAccounts) get(key store.AccountKey) *folded {
	f.Lock()
	defer f.Unlock()
	one, _ := f.kept.Get(key)
	return one
}

func (f *foldedAccounts) put(key store.AccountKey, one *folded) {
	f.Lock()
	defer f.Unlock()
	f.kept.Remove(key)
	f.lines += len(one.entries) + 1
	f.kept.Add(key, one)
	for f.lines > mostLines && f.kept.Len() > 1 {
		f.kept.RemoveOldest()
	}
}

// UseAccount of one unit, with its lines: use has it to itself, and must not keep it. It returns
// [store.ErrNoUnit] for an unknown code.
func (f *Fleet) UseAccount(ctx context.Context, code string, use func(EvaluatedUnit) error) error {
	o, err := f.store.Open(ctx, code, "")
	if err != nil {
		return err
	}
	one := f.folded.get(o.Key)
	if one == nil || f.now().Sub(one.read) > keptFor {
		entries, err := f.store.Entries(ctx, o.Unit)
		if err != nil {
			return err
		}
		one = &folded{account: ledger.TryFold(o.Ledger, entries), entries: entries, read: f.now()}
		// Entries may have come between the two reads: then they are of another head.
		if int64(len(entries)) == o.Seq {
			f.folded.put(o.Key, one)
		}
	}
	one.Lock()
	defer one.Unlock()
	others, err := f.others(ctx, o.Unit)
	if err != nil {
		return err
	}
	m, err := f.evaluated(ctx, o.Unit, &one.account, others)
	if err != nil {
		return err
	}
	m.Additives = o.Additives()
	return use(m)
}
