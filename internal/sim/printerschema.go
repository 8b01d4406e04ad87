package sim

import "strings"

// printerSchema is the part of RFC 7612 that Cirque writes, as the directory server reads it; Debian's package has
// none.
var printerSchema = func() string {
	var b strings.Builder
	attribute := func(oid, name, rest string) {
		b.WriteString("attributetype ( 1.3.18.0.2.4." + oid + " NAME '" + name + "' " + rest + " )\n")
	}
	const text = "EQUALITY caseIgnoreMatch SUBSTR caseIgnoreSubstringsMatch SYNTAX 1.3.6.1.4.1.1466.115.121.1.15"
	const short = text + "{127}"
	attribute("1140", "printer-uri", "EQUALITY caseIgnoreMatch SUBSTR caseIgnoreSubstringsMatch ORDERING "+
		"caseIgnoreOrderingMatch SYNTAX 1.3.6.1.4.1.1466.115.121.1.15 SINGLE-VALUE")
	attribute("1107", "printer-xri-supported", text)
	attribute("1135", "printer-name", short+" SINGLE-VALUE")
	attribute("1119", "printer-natural-language-configured", short+" SINGLE-VALUE")
	attribute("1136", "printer-location", short+" SINGLE-VALUE")
	attribute("1139", "printer-info", short+" SINGLE-VALUE")
	attribute("1138", "printer-make-and-model", short+" SINGLE-VALUE")
	attribute("1133", "printer-ipp-versions-supported", short)
	attribute("1109", "printer-charset-configured", "EQUALITY caseIgnoreMatch SYNTAX 1.3.6.1.4.1.1466.115.121.1.15{63} "+
		"SINGLE-VALUE")
	attribute("1130", "printer-document-format-supported", short)
	attribute("1129", "printer-color-supported", "EQUALITY booleanMatch SYNTAX 1.3.6.1.4.1.1466.115.121.1.7 SINGLE-VALUE")
	attribute("1123", "printer-sides-supported", short)
	attribute("1122", "printer-media-supported", "EQUALITY caseIgnoreMatch SUBSTR caseIgnoreSubstringsMatch SYNTAX "+
		"1.3.6.1.4.1.1466.115.121.1.15{255}")
	attribute("1108", "printer-aliases", short)
	attribute("1110", "printer-job-priority-supported", "EQUALITY integerMatch SYNTAX 1.3.6.1.4.1.1466.115.121.1.27 "+
		"SINGLE-VALUE")
	b.WriteString("objectclass ( 1.3.18.0.2.6.258 NAME 'printerAbstract' SUP top ABSTRACT MAY ( printer-name $ " +
		"printer-natural-language-configured $ printer-location $ printer-info $ printer-make-and-model $ " +
		"printer-charset-configured $ printer-document-format-supported $ printer-color-supported $ " +
		"printer-sides-supported $ printer-media-supported $ printer-aliases $ printer-job-priority-supported ) )\n")
	b.WriteString("objectclass ( 1.3.18.0.2.6.255 NAME 'printerService' SUP printerAbstract STRUCTURAL MAY ( " +
		"printer-uri $ printer-xri-supported ) )\n")
	b.WriteString("objectclass ( 1.3.18.0.2.6.256 NAME 'printerIPP' SUP top AUXILIARY MAY ( " +
		"printer-ipp-versions-supported ) )\n")
	return b.String()
}()
