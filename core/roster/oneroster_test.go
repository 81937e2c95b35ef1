package roster

import (
	"archive/zip"
	"bytes"
	"errors"
	"fmt"
	"strings"
	"testing"
)

func zipped(files map[string]string) []byte {
	var b bytes.Buffer
	z := zip.NewWriter(&b)
	for name, text := range files {
		w, err := z.Create(name)
		if err == nil {
			_, err = w.Write([]byte(text))
		}
		if err != nil {
			panic(err)
		}
	}
	z.Close()
	return b.Bytes()
}

const (
	classes  = "\"sourcedId\",\"status\",\"dateLastModified\",\"title\",\"grades\",\"courseSourcedId\",\"classCode\",\"classType\"\r\n\"c1\",\"active\",\"2026-08-01\",\"Navigation, 1\",\"\",\"k1\",\"\",\"scheduled\"\r\nc2,,,Tides,,,,\r\nc3,tobedeleted,,Old class,,,,\r\n,,,Nameless,,,,\r\nc4,,,,,,,\r\n"
	enrolled = "sourcedId,status,dateLastModified,classSourcedId,schoolSourcedId,userSourcedId,role,primary,beginDate,endDate\r\ne1,,,c1,s,t1,teacher,true,,\r\ne2,,,c1,s,p1,student,,,\r\ne3,,,c1,s,p2,student,,,\r\ne4,,,c2,s,p2,student,,,\r\ne5,,,c9,s,p2,student,,,\r\ne6,,,c2,s,p9,student,,,\r\ne7,,,c2,s,g1,guardian,,,\r\ne8,tobedeleted,,c2,s,p1,student,,,\r\ne9,,,c1,s,p1,student,,,\r\ne10,,,c2,s,p3,student,,,\r\n"
)

func TestDirectoriesOfBothVersions(t *testing.T) {
	v11 := zipped(map[string]string{
		"manifest.csv": "propertyName,value\r\nmanifest.version,1.0\r\n", "classes.csv": classes, "enrollments.csv": enrolled,
		"users.csv": "\ufeff\"sourcedId\",\"status\",\"dateLastModified\",\"enabledUser\",\"orgSourcedIds\",\"role\",\"username\",\"userIds\",\"givenName\",\"familyName\",\"middleName\"\r\nt1,,,true,s,teacher,J.Quill,,Jo,Quill,\r\np1,,,true,s,student,ines.v,,Ines,\"Varga, de\",Maria\r\np2,,,true,s,student,,,小龙,李,\r\np3,,,false,s,student,gone,,Gone,Away,\r\ng1,,,true,s,guardian,mum,,Mum,Varga,\r\n,,,true,s,student,x,,No,Id,\r\nn1,,,true,s,student,n,,,,\r\n",
	})
	v12 := zipped(map[string]string{ // the roles stand in a file of their own
		"export/classes.csv": classes, "export/enrollments.csv": enrolled,
		"export/users.csv": "sourcedId,status,dateLastModified,enabledUser,username,userIds,givenName,familyName,middleName,preferredFirstName\r\nt1,,,true,J.Quill,,Joanna,Quill,,Jo\r\np1,,,true,ines.v,,Ines,\"Varga, de\",Maria,\r\np2,,,true,,,小龙,李,,\r\np3,,,false,gone,,Gone,Away,,\r\ng1,,,true,mum,,Mum,Varga,,\r\n,,,true,x,,No,Id,,\r\nn1,,,true,n,,,,,\r\n",
		"export/roles.csv": "sourcedId,status,dateLastModified,userSourcedId,roleType,role\r\nr1,,,t1,primary,teacher\r\nr2,,,p1,primary,student\r\nr3,,,p2,primary,student\r\nr4,,,g1,primary,parent\r\n",
	})
	const want = "c1 Navigation, 1: t1 Jo Quill j.quill teaches; p1 Ines Varga, de ines.v; p2 小龙 李 | c2 Tides: p2 小龙 李 | " +
		"users 7 no id, users 8 no name, classes 5 no id, classes 6 no name, enrollments 6 no class, enrollments 7 no person, enrollments 8 other role, enrollments 10 twice"
	for version, file := range map[string][]byte{"1.1": v11, "1.2": v12} {
		d, err := ReadDirectory(file)
		if err != nil {
			t.Errorf("%s: %v", version, err)
			continue
		}
		var out, strange []string
		for _, c := range d.Classes {
			var people []string
			for _, p := range c.People {
				s := strings.TrimSpace(p.SourceID + " " + p.Whole + " " + p.Login)
				if p.Teacher {
					s += " teaches"
				}
				people = append(people, s)
			}
			out = append(out, c.SourceID+" "+c.Title+": "+strings.Join(people, "; "))
		}
		for _, s := range d.Strange {
			strange = append(strange, fmt.Sprint(strings.TrimSuffix(s.File, ".csv"), " ", s.Line, " ", s.Why))
		}
		if got := strings.Join(out, " | ") + " | " + strings.Join(strange, ", "); got != want {
			t.Errorf("%s:\n%s\nwant\n%s", version, got, want)
		}
	}
	for name, c := range map[string]struct {
		file []byte
		err  error
	}{
		"no archive":     {[]byte("sourcedId,status"), ErrArchive},
		"a file missing": {zipped(map[string]string{"users.csv": "sourcedId\n", "classes.csv": "sourcedId\n"}), ErrArchive},
		"not text":       {zipped(map[string]string{"users.csv": "a\x00b\x01", "classes.csv": "x", "enrollments.csv": "x"}), ErrText},
		"a bomb":         {zipped(map[string]string{"users.csv": strings.Repeat(" ", maxTable+1), "classes.csv": "x", "enrollments.csv": "x"}), ErrLarge},
	} {
		if _, err := ReadDirectory(c.file); !errors.Is(err, c.err) {
			t.Errorf("%s: %v, want %v", name, err, c.err)
		}
	}
}
