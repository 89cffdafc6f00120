WITH "lane" AS (
  SELECT
    *
  FROM "takings"
), "formula" AS (
  SELECT
    "route",
    "day",
    "amount",
    CASE WHEN (
      "route"
    ) = (
      'KP-MS'
    ) THEN "amount" END AS "inner",
    CASE WHEN (
      "route"
    ) = (
      'KP-BR'
    ) THEN "amount" END AS "outer",
    CASE
      WHEN (
        (
          "route"
        ) IS NULL
        OR NOT (
          (
            (
              "route"
            ) = (
              'KP-MS'
            ) OR (
              "route"
            ) = (
              'KP-BR'
            )
          )
        )
      )
      THEN "amount"
    END AS "others",
    "~row"
  FROM "lane"
), "summary" AS (
  SELECT
    "day",
    SUM(CAST("inner" AS DECIMAL)) AS "inner",
    SUM(CAST("outer" AS DECIMAL)) AS "outer",
    SUM(CAST("others" AS DECIMAL)) AS "others",
    MIN("~row") AS "~first"
  FROM "formula"
  GROUP BY
    "day"
), "formula 2" AS (
  SELECT
    "day",
    COALESCE("inner", CAST(CAST('0' AS BIGINT) AS DECIMAL)) AS "inner",
    COALESCE("outer", CAST(CAST('0' AS BIGINT) AS DECIMAL)) AS "outer",
    COALESCE("others", CAST(CAST('0' AS BIGINT) AS DECIMAL)) AS "others",
    "~first"
  FROM "summary"
)
SELECT
  "day" AS "day",
  "inner" AS "inner",
  "outer" AS "outer",
  "others" AS "others"
FROM "formula 2"
