//go:build js && wasm

// Command core is the core with its words as WebAssembly, for a device that has no signal: what a
// unit is owed and asked, what an entry does to an account and what refuses it are computed there by the
// rules of the server (package walk). It defines functions of the page's global object; each takes texts
// and gives JSON, with failed where there is no answer:
//
//	diligentShare(shared)                              what the units of a walk share
//	diligentUnit(pack, waiting, now)                   what is shown of a unit
//	diligentPreview(pack, waiting, now, address, entry) what an entry would do
//	diligentScale(kind, base)                          the lines of a refractometer
//	diligentProbe(seed, n, celsius)                    a reading of the simulated digital refractometer
//	diligentJob(pack, events, now)                     what is shown of a job
//	diligentJobRead(pack, events, now, step, texts)    what was typed at a step, read
//	diligentJobAnswer(pack, events, now, step)         what a simulated unit shows at a step
package main

import (
	"encoding/json"
	"errors"
	"fmt"
	"strconv"
	"syscall/js"
	"time"

	"diligentledger/core/coolant"
	core "diligentledger/core/job"
	"diligentledger/core/measure"
	"diligentledger/internal/sheet"
	"diligentledger/internal/standin/digital"
	"diligentledger/internal/walk"
)

// device is the one walk that lies open.
type device struct {
	shared *walk.Shared
	text   string // of the pack that was read last
	pack   walk.Pack
}

func (d *device) share(args []string) (any, error) {
	shared, err := walk.Read([]byte(args[0]))
	if err == nil {
		*d = device{shared: shared}
	}
	return struct{}{}, err
}

// unit of the pack, the waiting entries and the time.
func (d *device) unit(args []string) (*walk.Unit, error) {
	if d.shared == nil {
		return nil, fmt.Errorf("no walk is open")
	}
	if d.text != args[0] {
		pack, err := walk.ReadPack([]byte(args[0]))
		if err != nil {
			return nil, err
		}
		d.text, d.pack = args[0], pack
	}
	var waiting []walk.Waiting
	if err := json.Unmarshal([]byte(args[1]), &waiting); err != nil {
		return nil, err
	}
	now, err := time.Parse(time.RFC3339Nano, args[2])
	if err != nil {
		return nil, err
	}
	return walk.Open(d.shared, d.pack, waiting, now)
}

func (d *device) view(args []string) (any, error) {
	u, err := d.unit(args)
	if err != nil {
		return nil, err
	}
	return u.View(), nil
}

func (d *device) preview(args []string) (any, error) {
	u, err := d.unit(args)
	if err != nil {
		return nil, err
	}
	return u.Preview(args[3], []byte(args[4])), nil
}

func scale(args []string) (any, error) {
	return coolant.ScaleLines(coolant.ScaleKind(args[0]), coolant.Base(args[1]))
}

func probe(args []string) (any, error) {
	seed, err1 := strconv.ParseUint(args[0], 10, 64)
	n, err2 := strconv.Atoi(args[1])
	truth, err3 := strconv.ParseFloat(args[2], 64)
	if err := errors.Join(err1, err2, err3); err != nil {
		return nil, err
	}
	shown, err := digital.Read(seed, n, measure.Celsius(truth))
	return map[string]any{"celsius": shown}, err
}

// job of a pack, the events that wait and the time.
func job(args []string) (p sheet.Pack, waiting []core.Event, now time.Time, err error) {
	p, err1 := sheet.ReadPack([]byte(args[0]))
	err2 := json.Unmarshal([]byte(args[1]), &waiting)
	now, err3 := time.Parse(time.RFC3339Nano, args[2])
	return p, waiting, now, errors.Join(err1, err2, err3)
}

func jobView(args []string) (any, error) {
	p, waiting, now, err := job(args)
	if err != nil {
		return nil, err
	}
	return p.View(waiting, now), nil
}

func jobRead(args []string) (any, error) {
	p, waiting, now, err := job(args)
	if err != nil {
		return nil, err
	}
	var texts map[string]string
	if err := json.Unmarshal([]byte(args[4]), &texts); err != nil {
		return nil, err
	}
	values, refused, err := p.Read(waiting, now, args[3], texts)
	return map[string]any{"values": values, "refused": refused}, err
}

func jobAnswer(args []string) (any, error) {
	p, waiting, now, err := job(args)
	if err != nil {
		return nil, err
	}
	values, err := p.Simulated(waiting, now, args[3])
	return map[string]any{"values": values}, err
}

// define a function of the page: a panic is an answer that failed, and leaves the program running.
func define(name string, takes int, f func(args []string) (any, error)) {
	js.Global().Set(name, js.FuncOf(func(_ js.Value, args []js.Value) (out any) {
		failed := func(why string) string {
			text, _ := json.Marshal(map[string]string{"failed": why}) // a text always encodes
			return string(text)
		}
		defer func() {
			if r := recover(); r != nil {
				out = failed(fmt.Sprint(r))
			}
		}()
		if len(args) != takes {
			return failed(fmt.Sprintf("%s takes %d texts", name, takes))
		}
		texts := make([]string, takes)
		for i, a := range args {
			texts[i] = a.String()
		}
		answer, err := f(texts)
		if err != nil {
			return failed(err.Error())
		}
		text, err := json.Marshal(answer)
		if err != nil {
			return failed(err.Error())
		}
		return string(text)
	}))
}

func main() {
	var d device
	define("diligentShare", 1, d.share)
	define("diligentUnit", 3, d.view)
	define("diligentPreview", 5, d.preview)
	define("diligentScale", 2, scale)
	define("diligentProbe", 3, probe)
	define("diligentJob", 3, jobView)
	define("diligentJobRead", 5, jobRead)
	define("diligentJobAnswer", 4, jobAnswer)
	select {}
}
