package pages

import (
	"errors"
	"fmt"
	"io"
	"sync"

	"github.com/pdfcpu/pdfcpu/pkg/api"
	"github.com/pdfcpu/pdfcpu/pkg/pdfcpu/model"
)

// MostPDF is the largest PDF whose pages are counted, in bytes: all of its objects are held in memory meanwhile.
const MostPDF = 64 << 20

var once = sync.OnceFunc(api.DisableConfigDir)

// OfPDF counts the pages of a PDF of so many bytes. What is larger, damaged or locked is an error.
func OfPDF(in io.ReadSeeker, size int64) (n int, err error) {
	once()
	if size > MostPDF {
		return 0, errors.New("it is too large to be counted")
	}
	defer func() { // of what strangers send
		if e := recover(); e != nil {
			err = fmt.Errorf("it cannot be read: %v", e)
		}
	}()
	conf := model.NewDefaultConfiguration()
	conf.ValidationMode = model.ValidationRelaxed
	return api.PageCount(in, conf)
}
