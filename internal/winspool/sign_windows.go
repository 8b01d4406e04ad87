package winspool

import (
	"errors"
	"unsafe"

	"golang.org/x/sys/windows"
)

// Signer has the system verify a file's signature (WinVerifyTrust), and names who signed it.
func Signer(file string) (string, error) {
	name, err := windows.UTF16PtrFromString(file)
	if err != nil {
		return "", err
	}
	of := &windows.WinTrustFileInfo{Size: uint32(unsafe.Sizeof(windows.WinTrustFileInfo{})), FilePath: name}
	ask := &windows.WinTrustData{Size: uint32(unsafe.Sizeof(windows.WinTrustData{})), UIChoice: windows.WTD_UI_NONE,
		RevocationChecks: windows.WTD_REVOKE_NONE, UnionChoice: windows.WTD_CHOICE_FILE,
		StateAction: windows.WTD_STATEACTION_VERIFY, FileOrCatalogOrBlobOrSgnrOrCert: unsafe.Pointer(of)}
	err = windows.WinVerifyTrustEx(windows.InvalidHWND, &windows.WINTRUST_ACTION_GENERIC_VERIFY_V2, ask)
	by := ""
	if err == nil {
		by, err = signedBy(uintptr(ask.StateData))
	}
	ask.StateAction = windows.WTD_STATEACTION_CLOSE
	_ = windows.WinVerifyTrustEx(windows.InvalidHWND, &windows.WINTRUST_ACTION_GENERIC_VERIFY_V2, ask)
	return by, err
}

var (
	wintrust     = windows.NewLazySystemDLL("wintrust.dll")
	stateData    = wintrust.NewProc("WTHelperProvDataFromStateData")
	firstSigner  = wintrust.NewProc("WTHelperGetProvSignerFromChain")
	certFromSign = wintrust.NewProc("WTHelperGetProvCertFromChain")
)

// signedBy names whose certificate a verified signature was made with.
func signedBy(state uintptr) (string, error) {
	nobody := errors.New("the signature names nobody")
	provider, _, _ := stateData.Call(state)
	if provider == 0 {
		return "", nobody
	}
	signer, _, _ := firstSigner.Call(provider, 0, 0, 0)
	if signer == 0 {
		return "", nobody
	}
	found, _, _ := certFromSign.Call(signer, 0)
	if found == 0 {
		return "", nobody
	}
	cert := (*struct { // CRYPT_PROVIDER_CERT
		size uint32
		cert *windows.CertContext
	})(at(found)).cert
	who := make([]uint16, 256)
	if n := windows.CertGetNameString(cert, windows.CERT_NAME_SIMPLE_DISPLAY_TYPE, 0, nil, &who[0],
		uint32(len(who))); n <= 1 {
		return "", nobody
	}
	return windows.UTF16ToString(who), nil
}
