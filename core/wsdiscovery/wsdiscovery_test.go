package wsdiscovery_test

import (
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"webostrum/core/wsdiscovery"
)

const id = "0a6dc791-2be6-4991-9af1-454778a1917a"

func TestProbeAndAnswer(t *testing.T) {
	asked, ok := wsdiscovery.ReadProbe(wsdiscovery.Probe(id))
	require.True(t, ok)
	assert.Equal(t, id, asked)
	d := wsdiscovery.Device{ID: "urn:uuid:1", Name: "Passing loop & siding", Hardware: "PL 2", Location: "Morrow Crag", Addresses: []string{"http://192.0.2.7/onvif/device_service"}}
	list, err := wsdiscovery.ReadAnswer(wsdiscovery.Answer(asked, "2", d), id)
	require.NoError(t, err)
	assert.Equal(t, []wsdiscovery.Device{d}, list)
	_, err = wsdiscovery.ReadAnswer(wsdiscovery.Answer("another", "2", d), id)
	assert.Error(t, err, "it is for somebody else")
}

// TestAnswersAsDevicesWriteThem: other prefixes and capitals, several devices in one answer,
// addresses that are none.
func TestAnswersAsDevicesWriteThem(t *testing.T) {
	text := `<SOAP-ENV:Envelope><SOAP-ENV:Header><wsa:RelatesTo>urn:uuid:` + strings.ToUpper(id) + `</wsa:RelatesTo></SOAP-ENV:Header><SOAP-ENV:Body><wsdd:ProbeMatches>
		<wsdd:ProbeMatch><wsa:EndpointReference><wsa:Address>urn:a</wsa:Address></wsa:EndpointReference><wsdd:Scopes>onvif://www.onvif.org/Name/Yard%20East ` + "\n" + `ONVIF://WWW.ONVIF.ORG/hardware/X odd</wsdd:Scopes>
			<wsdd:Xaddrs>ftp://192.0.2.1/ http:// http://192.0.2.1/onvif http://[2001:db8::1]/onvif</wsdd:Xaddrs></wsdd:ProbeMatch>
		<wsdd:ProbeMatch><wsdd:XAddrs></wsdd:XAddrs></wsdd:ProbeMatch></wsdd:ProbeMatches></SOAP-ENV:Body></SOAP-ENV:Envelope>`
	list, err := wsdiscovery.ReadAnswer([]byte(text), id)
	require.NoError(t, err)
	assert.Equal(t, []wsdiscovery.Device{{ID: "urn:a", Name: "Yard East", Hardware: "X", Addresses: []string{"http://192.0.2.1/onvif", "http://[2001:db8::1]/onvif"}}}, list)
}

func TestWhatIsNoProbe(t *testing.T) {
	for _, text := range []string{"", "<a/>", "<e><Body><Probe><Types>printer</Types></Probe></Body></e>", string(wsdiscovery.Answer("1", "2", wsdiscovery.Device{}))} {
		_, ok := wsdiscovery.ReadProbe([]byte(text))
		assert.False(t, ok, text)
	}
}

func FuzzReadAnswer(f *testing.F) {
	f.Add(wsdiscovery.Answer(id, "2", wsdiscovery.Device{ID: "urn:a", Addresses: []string{"http://192.0.2.1/"}, Name: "x"}))
	f.Fuzz(func(t *testing.T, data []byte) {
		list, err := wsdiscovery.ReadAnswer(data, id)
		if err != nil && list != nil {
			t.Fatal("a list and an error")
		}
		for _, d := range list {
			if len(d.Addresses) == 0 || len(d.Name) > 200 {
				t.Fatalf("%+v", d)
			}
		}
	})
}
