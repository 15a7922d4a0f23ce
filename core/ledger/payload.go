package ledger

import (
	"encoding/json"
	"fmt"
)

// ParseBody reads the stored payload of an entry of kind k.
func ParseBody(k Kind, payload []byte) (Body, error) {
	switch k {
	case KindFill:
		return parse[Fill](payload)
	case KindTopUp:
		return parse[TopUp](payload)
	case KindLoss:
		return parse[Loss](payload)
	case KindFreezeTest:
		return parse[FreezeTest](payload)
	case KindMeter:
		return parse[Meter](payload)
	}
	return nil, fmt.Errorf("entry kind %q is not one of fill, top_up, loss, freeze_test, meter", string(k))
}

func parse[T Body](payload []byte) (Body, error) {
	var b T
	if err := json.Unmarshal(payload, &b); err != nil {
		return nil, fmt.Errorf("payload of a %s entry: %w", b.Kind(), err)
	}
	return b, nil
}
