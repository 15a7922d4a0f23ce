package demo

import (
	"diligentledger/core/ledger"
	"diligentledger/internal/people"
)

// Password of every demo account.
const Password = "skerrow sound demo"

// People of the fleet, one of each role and a second technician. Their password
// is shown at the sign-in, in demo mode only.
var People = []people.Demo{
	{Name: "E. Marrow", Email: "marrow@skerrow.example", Role: ledger.Coordinator, Password: Password},
	{Name: "T. Quayle", Email: "quayle@skerrow.example", Role: ledger.Technician, Password: Password},
	{Name: "I. Sund", Email: "sund@skerrow.example", Role: ledger.Technician, Password: Password},
	{Name: "O. Fenn", Email: "fenn@skerrow.example", Role: ledger.Signatory, Password: Password},
	{Name: "A. Reed", Email: "reed@skerrow.example", Role: ledger.Reader, Password: Password},
}
