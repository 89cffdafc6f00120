WITH `lane` AS (
  SELECT
    *
  FROM `routes`
)
SELECT
  `code` AS `route`
FROM `lane`
