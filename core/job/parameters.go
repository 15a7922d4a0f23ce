package job

import (
	"strings"

	"diligentledger/core/measure"
)

// Parameter of a method: a time, a limit or a count. The coordinator may set each for a type or a unit,
// where the maker's manual says another.
type Parameter struct {
	Code        string
	Unit        measure.Unit // of package measure, or one of those below; measure.One for a count
	Value       float64
	Least, Most float64
	// Source of the value: common practice, or judgement where the trade is silent.
	Source string
}

const (
	practice  = "common practice"
	judgement = "judgement"
)

// Units of parameters that no reading is in.
const (
	Minutes measure.Unit = "min"
	Seconds measure.Unit = "s"
	Days    measure.Unit = "d"
	Kelvins measure.Unit = "K" // a difference
)

// Parameters of the methods, in the order in which they are shown.
var Parameters = []Parameter{
	{"cooling", measure.H, 4, 0.5, 48, practice + "; one school takes 1 h: the evidence decides, the hours plan the day"},
	{"draining", Minutes, 10, 1, 240, judgement},
	{"warm_from", Minutes, 15, 2, 120, practice},
	{"warm_to", Minutes, 25, 2, 120, practice},
	{"rpm_from", measure.One, 1500, 500, 6000, practice},
	{"rpm_to", measure.One, 2500, 500, 8000, practice},
	{"thermostat_from", measure.DegC, 83, 40, 120, practice},
	{"thermostat_to", measure.DegC, 88, 40, 120, practice},
	{"fan", measure.DegC, 99, 60, 130, practice},
	{"heat_at_idle", Minutes, 1, 0.5, 10, practice},
	{"squeeze_from", measure.One, 10, 1, 100, practice},
	{"squeeze_to", measure.One, 20, 1, 100, practice},
	{"flushes_least", measure.One, 2, 1, 10, practice},
	{"flushes_most", measure.One, 4, 1, 12, practice},
	{"flush_cold_run", Minutes, 5, 1, 60, judgement},
	{"cleaner_days", Days, 3, 0, 30, practice + "; the cleaner's label decides"},
	{"back_flush", measure.KPa, 138, 10, 345, practice + ": heater cores and radiators are built for 15 to 20 psi"},
	{"vacuum_from", measure.KPa, 75, 20, 100, practice + ": the green band of the gauge, below the air outside"},
	{"vacuum_to", measure.KPa, 95, 20, 101, practice},
	{"vacuum_hold", Minutes, 2, 0.5, 30, judgement},
	{"vacuum_drop", measure.KPa, 3, 0, 20, judgement},
	{"accelerator", Seconds, 10, 1, 60, practice},
	{"pump_from", Minutes, 10, 1, 60, practice},
	{"pump_to", Minutes, 12, 1, 60, practice},
	{"throttle", Seconds, 3, 1, 30, practice},
	{"lean_run", Seconds, 30, 5, 600, practice},
	{"overnight", measure.H, 8, 2, 72, practice},
	{"curing", measure.H, 2, 0, 72, judgement + "; the sealant's label decides"},
	{"torque_within", measure.Percent, 10, 1, 50, judgement},
	{"drain_short", measure.Percent, 20, 2, 80, judgement + ": less than so much below what a point gives is asked about"},
	{"retest_within", Kelvins, 3, 0.5, 10, judgement + ": what a refractometer and a label leave open"},
	{"pressure_from", Minutes, 10, 1, 60, practice},
	{"pressure_to", Minutes, 15, 1, 60, practice},
}

// Judged reports whether the value is judgement: the trade is silent.
func (p Parameter) Judged() bool { return strings.HasPrefix(p.Source, judgement) }

// ParameterOf that code; false when there is none.
func ParameterOf(code string) (Parameter, bool) {
	for _, p := range Parameters {
		if p.Code == code {
			return p, true
		}
	}
	return Parameter{}, false
}

// parameter in effect for the job.
func (s Setup) parameter(code string) float64 {
	if v, ok := s.Set[code]; ok {
		return v
	}
	p, _ := ParameterOf(code)
	return p.Value
}
