package store_test

import (
	"testing"

	"juvalogos/internal/store/storetest"
)

func TestMain(m *testing.M) { storetest.Main(m) }
