package frame

import "encoding/asn1"

// The two objects that say what a device is (RFC 3418).
var (
	oidDescription = asn1.ObjectIdentifier{1, 3, 6, 1, 2, 1, 1, 1, 0}
	oidName        = asn1.ObjectIdentifier{1, 3, 6, 1, 2, 1, 1, 5, 0}
)

type snmpMessage struct {
	Version   int
	Community []byte
	PDU       asn1.RawValue
}

type snmpPDU struct {
	ID, Status, Index int
	Bindings          []snmpBinding
}

type snmpBinding struct {
	Name  asn1.ObjectIdentifier
	Value asn1.RawValue
}

// The tags of the PDUs (RFC 3416 section 3).
const (
	snmpGet      = 0
	snmpResponse = 2
)

// AskSNMP builds a version 2c request (RFC 1901) for sysName and sysDescr.
func AskSNMP(community string, id int) []byte {
	null := asn1.RawValue{Tag: asn1.TagNull}
	return snmp(community, snmpGet, snmpPDU{ID: id, Bindings: []snmpBinding{{oidName, null}, {oidDescription, null}}})
}

// AnswerSNMP builds the response.
func AnswerSNMP(community string, id int, name, description string) []byte {
	text := func(s string) asn1.RawValue { return asn1.RawValue{Tag: asn1.TagOctetString, Bytes: []byte(s)} }
	return snmp(community, snmpResponse, snmpPDU{ID: id, Bindings: []snmpBinding{{oidName, text(name)}, {oidDescription, text(description)}}})
}

func snmp(community string, tag int, pdu snmpPDU) []byte {
	inner, err := asn1.Marshal(pdu)
	if err != nil {
		return nil
	}
	var seq asn1.RawValue
	if _, err := asn1.Unmarshal(inner, &seq); err != nil {
		return nil
	}
	out, err := asn1.Marshal(snmpMessage{1, []byte(community), asn1.RawValue{Class: asn1.ClassContextSpecific, Tag: tag, IsCompound: true, Bytes: seq.Bytes}})
	if err != nil {
		return nil
	}
	return out
}

// SNMP is what a message carries.
type SNMP struct {
	Community         string
	ID                int
	Response          bool
	Name, Description string
}

// ParseSNMP reads a version 2c message.
func ParseSNMP(b []byte) (SNMP, bool) {
	var m snmpMessage
	if _, err := asn1.Unmarshal(b, &m); err != nil || m.PDU.Class != asn1.ClassContextSpecific {
		return SNMP{}, false
	}
	seq, err := asn1.Marshal(asn1.RawValue{Tag: asn1.TagSequence, IsCompound: true, Bytes: m.PDU.Bytes})
	if err != nil {
		return SNMP{}, false
	}
	var pdu snmpPDU
	if _, err := asn1.Unmarshal(seq, &pdu); err != nil {
		return SNMP{}, false
	}
	out := SNMP{Community: string(m.Community), ID: pdu.ID, Response: m.PDU.Tag == snmpResponse}
	for _, v := range pdu.Bindings {
		switch {
		case v.Value.Tag != asn1.TagOctetString:
		case v.Name.Equal(oidName):
			out.Name = Plain(string(v.Value.Bytes))
		case v.Name.Equal(oidDescription):
			out.Description = Plain(string(v.Value.Bytes))
		}
	}
	return out, true
}
