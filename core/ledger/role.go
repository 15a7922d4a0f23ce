package ledger

import "slices"

// Role of a person.
type Role string

// The roles.
const (
	Coordinator Role = "coordinator" // owns the due list, the register and the people
	Technician  Role = "technician"  // writes what was done and found
	Signatory   Role = "signatory"   // inspector or licensed signatory: releases
	Reader      Role = "reader"      // reads, such as an auditor
)

// Roles in the order they are offered.
var Roles = []Role{Coordinator, Technician, Signatory, Reader}

// MayWrite tells whether somebody of that role and name may write the body into
// the books of u; nil, or what would be accepted. struck is the entry that a
// strike voids, nil when it is not in the books. Who may release an aircraft is
// for the law to say: here it takes a signatory (14 CFR 43.3 and 43.7, recalled
// from memory; local rules overrule).
func MayWrite(r Role, name string, u Unit, b Body, struck *Entry) *FieldError {
	refuse := func(accepted string) *FieldError {
		return &FieldError{Field: "/kind", Got: string(b.Kind()) + " by a " + string(r), Accepted: accepted}
	}
	if !slices.Contains([]Role{Coordinator, Technician, Signatory}, r) {
		return refuse("entries of a coordinator, a technician or a signatory; a reader reads")
	}
	switch b.(type) {
	case Release:
		if u.Aircraft && r != Signatory {
			return refuse("a signatory, to release an aircraft")
		}
		if r == Technician {
			return refuse("a coordinator or a signatory, to release")
		}
	case DefectClosed:
		if u.Aircraft && r != Signatory {
			return refuse("a signatory, to close a defect of an aircraft")
		}
	case Strike:
		if struck == nil {
			break
		}
		if own := struck.RecordedBy == name; !own && r != Coordinator {
			return refuse("a coordinator, to strike what " + struck.RecordedBy + " wrote; everybody strikes their own")
		}
		if _, released := struck.Body.(Release); released && u.Aircraft && r != Signatory {
			return refuse("a signatory, to strike the release of an aircraft")
		}
	}
	return nil
}
