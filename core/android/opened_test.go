package android

import (
	"reflect"
	"testing"
)

func TestReadOpened(t *testing.T) {
	log := `--------- beginning of main
11-23 10:00:00.100  1412  1500 I ActivityManager: Start proc 9:com.example.before/u0a9 for broadcast {x}
11-23 10:00:01.000  1412  1500 I ActivityTaskManager: START u0 {act=android.intent.action.MAIN cat=[android.intent.category.LAUNCHER] flg=0x10200000 cmp=com.example.wallet/.Main bnds=[1,2][3,4]} from uid 10053
I/ActivityManager( 1412): Start proc 4211:com.example.wallet/u0a12 for top-activity {com.example.wallet/.Main}
I/ActivityManager( 1412): Start proc 4212:com.example.card:remote/u0a13 for service {com.example.card/.S}
I/ActivityManager( 1412): Start proc 4212:com.example.card/u0a13 for service {com.example.card/.S}
I/ActivityTaskManager( 1412): START u0 {cmp=com.example.wallet/.Second} from uid 10112
I/ActivityTaskManager( 1412): START u0 {cat=[android.intent.category.LAUNCHER] cmp=com.example.other/.Main} from uid 10112
I/ActivityTaskManager( 1412): START u0 {cat=[android.intent.category.LAUNCHER] cmp=a.b;reboot/.Main} from uid 10053
I/ActivityTaskManager( 1412): START u0 {cat=[android.intent.category.LAUNCHER] cmp=com.example.clock/com.example.deep.Clock}
`
	want := []Opened{
		{"com.example.wallet", "com.example.wallet.Main", []PackageName{"com.example.card"}},
		{"com.example.clock", "com.example.deep.Clock", []PackageName{}},
	}
	if got := ReadOpened([]byte(log)); !reflect.DeepEqual(got, want) {
		t.Errorf("got  %+v\nwant %+v", got, want)
	}
}

func FuzzReadOpened(f *testing.F) {
	f.Add([]byte("START u0 {cat=[android.intent.category.LAUNCHER] cmp=a.b/.C} from uid 1\nStart proc 1:a.c/u0a1 for x"))
	f.Fuzz(func(t *testing.T, data []byte) {
		for _, o := range ReadOpened(data) {
			if !o.Package.Valid() {
				t.Fatalf("%q came through", o.Package)
			}
		}
	})
}
