/** Expressions that must be compiled and must give what the library gives, by topic. The input is in expression-agrees.test.ts. */
export const PATHS = `body.berths.id
body.berths[0].id
body.berths[-1].id
body.berths[0]
body.berths[5]
body.berths.services
body.berths.services[0]
body.berths[depth > 5].id
body.berths[depth > 5][0].id
body.berths[quay.name = "North" and depth > 8]
body.berths[services].id
body.berths.calls.ship
body.berths.calls[tons > 6].ship
(body.berths.calls)[0].ship
body.berths[[0, 2]].id
body.berths[[0..1]].id
body.berths.(id & ":" & depth)
body.berths.{"id": id, "d": depth}
body.berths.[id, depth]
body.berths.quay.name
body.*.name
body.berths.*[0]
body.nested
body.nested[0]
body.nested[0][1]
body.nested.$
body.one
body.one[0]
body.one[]
body.name[]
body.empty
body.empty[]
body.missing[]
body.berths.services[]
body.berths[id="S-01"].services
body.berths[id="S-01"][]
body.nothing
body.nothing.x
body.mixed
body.mixed[$type($) = "number"]
body.mixed.a
body.**.ship
body.berths^(depth).id
body.berths^(>depth).id
body.berths^(quay.name, >depth).id
body.berths^(id)[0].id
body.tags^($)
body.berths{id: depth}
body.berths{quay.name: $sum(depth)}
body.berths{quay.name: id}
body.berths.calls{ship: $sum(tons)}
body{"x": name}
body.name.$
$.body.name
$$.body.name
body.berths.($$.body.name & id)
body.("x")
"a".("b")
body.berths[$.depth > 5].id
body.tags[$ = "a"]
body.(berths; name)
[body.berths.id][0]
[body.berths.id, body.name]
body.berths.services.$uppercase($)
body.berths.$string(depth)
body.unicode
body.\`name\``;

export const OPERATORS = `-body.n
-body.missing
-(-1)
1 + 2 * 3 - 4 / 2 % 3
[1..5]
[1..3, 7..8]
[3..1]
[body.n..9]
1 in [1..3]
"a" in body.tags
body.n > 3 ? "big" : "small"
body.n > 30 ? "big"
body.missing ? 1 : 2
body.n = 7 and body.name = "Alca"
body.none = null
body.mixed[2] = null
body.tags = ["a","b","a"]
{"a": 1} = {"a": 1}
body.n != 7
body.name & body.n & body.yes & body.none & body.one & body.nothing
body.half & ""
0.1 + 0.2 & ""
body.name ~> $uppercase
body.name ~> $uppercase ~> $length
body.tags ~> $join("-")
body.code ~> $substringBefore("/") ~> $lowercase()
($uppercase ~> $length)("abc")
($x := 5; $x * 2)
($x := body.n; $y := $x + 1; [$x, $y])
($x := 1; ($x := 2; $x); $x)
($f := function($a, $b){$a + $b}; $f(1, 2))
($f := function($a, $b){$b}; $f(1))
($f := λ($a){$a * 2}; $f(4))
function($a){$a + 1}(3)
($add := function($a, $b){$a + $b}; $inc := $add(?, 1); $inc(5))
($first3 := $substring(?, 0, 3); $first3("abcdef"))
($fact := function($n){$n <= 1 ? 1 : $n * $fact($n - 1)}; $fact(10))
($loop := function($n, $t){$n = 0 ? $t : $loop($n - 1, $t + $n)}; $loop(2000, 0))
($even := function($n){$n = 0 ? true : $odd($n - 1)}; $odd := function($n){$n = 0 ? false : $even($n - 1)}; $even(101))
($k := 3; $mul := function($v){$v * $k}; $map([1,2,3], $mul))
()
(1; 2; 3)`;

export const FUNCTIONS = `$string(5)
$string(body.nothing)
$string({"a": [1, 2.50]})
$string([1,2], true)
body.n.$string()
$string(null)
$string(body.missing)
$length("abc")
$length(body.unicode)
body.name.$length()
$substring("hello", 1)
$substring("hello", 1, 3)
$substring("hello", -3)
$substring("hello", -3, 2)
$substring("hello", -9, 2)
$substring(body.unicode, 1, 1)
$substring("abc", 1, 0)
body.name.$substring(1, 2)
$substringBefore("a-b-c", "-")
$substringAfter("a-b-c", "-")
$substringBefore("abc", "x")
$substringAfter("abc", "x")
$lowercase("ABC")
$uppercase("abc")
$uppercase(body.missing)
$trim(body.note)
$pad("x", 5)
$pad("x", -5)
$pad("x", 5, "ab")
$pad("x", -6, "#")
$contains("hello", "ell")
$contains("hello", /e.l/)
$contains(body.missing, "a")
$contains("Hello", /hello/i)
$split("a,b,c", ",")
$split("a,b,c", ",", 2)
$split("a1b22c", /[0-9]+/)
$split("abc", "")
$split("a1b22c", /[0-9]+/, 2)
$join(["a","b"], "-")
$join("a")
$join(body.tags)
$match("ababab", /(a)(b)/)
$match("ababab", /ab/, 2)
$match("xyz", /ab/)
$match("ab", /a/)
$replace("John Smith", /(\\w+)\\s(\\w+)/, "$2, $1")
$replace("aaa", "a", "b")
$replace("aaa", "a", "b", 2)
$replace("abracadabra", /a.*?a/, "*")
$replace("a.b.c", ".", "$$")
$replace("265USD", /([0-9]+)USD/, "$$$1")
$replace("temp 68F", /([0-9]+)F/, function($m){ $string(($number($m.groups[0]) - 32) * 5 / 9) & "C" })
$number("5.5")
$number("-1e3")
$number("0x1F")
$number(true)
$number(body.missing)
$abs(body.neg)
$floor(body.neg)
$ceil(body.neg)
$round(2.5)
$round(3.5)
$round(-2.5)
$round(123.456, 2)
$round(123.456, -1)
$round(1.005, 2)
$sqrt(16)
$power(2, 8)
$formatBase(255, 16)
$sum([1,2,3])
$sum(5)
$sum(body.berths.depth)
$sum([])
$count(body.berths)
$count(body.missing)
$count("x")
$max(body.berths.depth)
$min(body.berths.depth)
$max([])
$average([1,2,3])
$average(body.missing)
$boolean("")
$boolean("x")
$boolean([0, 0])
$boolean([0, 1])
$boolean(body.nothing)
$boolean(body.missing)
$boolean($sum)
$not(0)
$not(body.missing)
$exists(body.name)
$exists(body.missing)
$exists(body.none)
$map([1,2,3], function($v){$v * 2})
$map(["a","b"], function($v, $i){$v & $i})
$map(["a","b"], function($v, $i, $a){$count($a)})
$map(body.tags, $uppercase)
$map([1.256, 2.2], $round)
$map(5, function($v){$v + 1})
$map([1,2,3], function($v){$v > 1 ? $v})
$map(body.missing, function($v){$v})
$filter([1,2,3,4], function($v){$v % 2 = 0})
$filter(body.berths, function($b){$b.depth > 5}).id
$filter([1,2,3], function($v, $i){$i = 1})
$single([1,2,3], function($v){$v = 2})
$reduce([1,2,3], function($a, $b){$a + $b})
$reduce([1,2,3], function($a, $b){$a + $b}, 10)
$reduce([], function($a, $b){$a + $b}, 1)
$reduce([4], function($a, $b){$a + $b})
$sift(body.berths[0], function($v, $k){$k = "id"})
$sift({"a":1,"b":2}, function($v){$v > 1})
$each({"a":1,"b":2}, function($v, $k){$k & "=" & $v})
$keys(body.berths)
$keys(body.nothing)
$keys({"a":1})
$lookup(body.berths, "id")
$lookup({"a":1}, "a")
$append([1,2], 3)
$append([1], [2,3])
$append(body.missing, 1)
$spread({"a":1,"b":2})
$spread([{"a":1},{"b":2}])
$merge([{"a":1},{"b":2},{"a":3}])
$merge(body.missing)
$reverse([1,2,3])
$reverse("x")
$sort([3,1,2])
$sort(["b","a"])
$sort(body.berths, function($l, $r){$l.depth > $r.depth}).id
$distinct([1,2,1,"1"])
$distinct(body.tags)
$distinct([{"a":1},{"a":1}])
$distinct(body.berths.quay.name)
$zip([1,2,3],[4,5])
$zip([1],[2],[3])
$type(1)
$type("a")
$type(null)
$type([])
$type({})
$type(true)
$type($sum)
$type(body.missing)
$encodeUrlComponent("a b&c")
$encodeUrl("http://x/a b")
$decodeUrlComponent("a%20b")
$decodeUrl("a%20b")
$count(body.berths.calls)
$sum(body.berths.calls.tons * 1)
body.berths.{"id": id, "tons": $sum(calls.tons)}
$join(body.berths.id, ", ")
body.berths[$count(services) > 0].id
$map(body.berths, function($b){ {"id": $b.id, "n": $count($b.calls)} })`;

export const ERRORS = `$sum("a")
$sum([1,"a"])
"a" + 1
1 + "a"
-"a"
1 < "a"
[] < 1
$uppercase(1)
$length(5)
$substring(1, 2)
$number("x")
$sqrt(-1)
$power(-1, 0.5)
$join([1,2])
$sort([1,"a"])
$sort([{"a":1}])
body.berths^(quay)
body.mixed^($)
{body.n: 1}
{"a": 1, "a": 2}
["a".."b"]
[1.5..2]
$reduce([1], function($a){$a})
$error("stop")
$assert(false, "no")
$assert(true)
$single([1,2])
$replace("a", "", "b")
$split("a", ",", -1)
$match("a", /a/, -1)
$formatBase(5, 99)
body.name(1)
(1)(2)
1 ~> 2
$merge([1])
$uppercase("a", "b")
$substring("a")`;
