package demo

import (
	"diligentledger/core/access"
	"diligentledger/internal/people"
)

// Password of every demo account.
const Password = "skerrow sound demo"

// People of the fleet, one of each role and a second technician. Their password
// is shown at the sign-in, in demo mode only.
var People = []people.Demo{
	{Name: "E. Marrow", Email: "marrow@skerrow.example", Role: access.Coordinator, Password: Password},
	{Name: "T. Quayle", Email: "quayle@skerrow.example", Role: access.Technician, Password: Password},
	{Name: "I. Sund", Email: "sund@skerrow.example", Role: access.Technician, Password: Password},
	{Name: "O. Fenn", Email: "fenn@skerrow.example", Role: access.Signatory, Password: Password},
	{Name: "A. Reed", Email: "reed@skerrow.example", Role: access.Reader, Password: Password},
}
