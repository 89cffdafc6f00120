-- =: amount = 2
("amount") = (CAST('2' AS BIGINT))

-- <>: amount <> 2
("amount") <> (CAST('2' AS BIGINT))

-- <: amount < 2
("amount") < (CAST('2' AS BIGINT))

-- <=: amount <= 2
("amount") <= (CAST('2' AS BIGINT))

-- >: amount > 2
("amount") > (CAST('2' AS BIGINT))

-- >=: amount >= 2
("amount") >= (CAST('2' AS BIGINT))

-- IS DISTINCT FROM: route IS DISTINCT FROM 'KP-MS'
NOT ("route" IS NOT DISTINCT FROM 'KP-MS')

-- AND: amount > 1 AND amount < 9
(("amount") > (CAST('1' AS BIGINT)) AND ("amount") < (CAST('9' AS BIGINT)))

-- OR: amount > 1 OR route = 'KP-MS'
(("amount") > (CAST('1' AS BIGINT)) OR ("route") = ('KP-MS'))

-- NOT: NOT amount > 1
NOT (("amount") > (CAST('1' AS BIGINT)))

-- IS NULL: route IS NULL
("route") IS NULL

-- IS TRUE: (amount > 1) IS TRUE
COALESCE(("amount") > (CAST('1' AS BIGINT)), FALSE)

-- CASE: CASE WHEN amount > 9 THEN 'many' WHEN amount > 1 THEN route ELSE 'few' END
CASE WHEN ("amount") > (CAST('9' AS BIGINT)) THEN 'many' WHEN ("amount") > (CAST('1' AS BIGINT)) THEN "route" ELSE 'few' END

-- COALESCE: COALESCE(route, 'none')
COALESCE("route", 'none')

-- NULLIF: NULLIF(route, 'KP-MS')
CASE WHEN ("route") = ('KP-MS') THEN CAST(NULL AS TEXT) ELSE "route" END

-- +: amount + 1
(SELECT CASE WHEN "w"."n" BETWEEN -9223372036854775808 AND 9223372036854775807 THEN CAST("w"."n" AS BIGINT) END FROM (SELECT CAST("amount" AS DECIMAL) + CAST('1' AS BIGINT) AS "n" OFFSET 0) AS "w")

-- -: amount - 1
(SELECT CASE WHEN "w"."n" BETWEEN -9223372036854775808 AND 9223372036854775807 THEN CAST("w"."n" AS BIGINT) END FROM (SELECT CAST("amount" AS DECIMAL) - CAST('1' AS BIGINT) AS "n" OFFSET 0) AS "w")

-- *: amount * 2
(SELECT CASE WHEN "w"."n" BETWEEN -9223372036854775808 AND 9223372036854775807 THEN CAST("w"."n" AS BIGINT) END FROM (SELECT CAST("amount" AS DECIMAL) * CAST('2' AS BIGINT) AS "n" OFFSET 0) AS "w")

-- ||: route || '!'
("route") || ('!')

-- CHAR_LENGTH: CHAR_LENGTH(route)
CAST(CHAR_LENGTH("route") AS BIGINT)

-- LEFT: LEFT(route, -2)
LEFT("route", -2)

-- RIGHT: RIGHT(route, 2)
RIGHT("route", 2)

-- SUBSTRING: SUBSTRING(route FROM 2 FOR 3)
SUBSTRING("route", 2, 3)

-- POSITION: POSITION('-' IN route)
CAST(STRPOS("route", '-') AS BIGINT)

-- SPLIT_PART: SPLIT_PART(route, '-', -1)
SPLIT_PART("route", '-', -1)

-- TRIM: TRIM(LEADING 'K' FROM route)
LTRIM("route", 'K')

-- EXTRACT: EXTRACT(WEEK FROM DATE '2026-01-05')
CAST(EXTRACT(WEEK FROM CAST('2026-01-05' AS DATE)) AS BIGINT)

-- TRUNC: TRUNC(DATE '2026-01-05', 'quarter')
CAST(DATE_TRUNC('quarter', CAST(CAST('2026-01-05' AS DATE) AS TIMESTAMP)) AS DATE)
