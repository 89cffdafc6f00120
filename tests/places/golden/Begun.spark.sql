WITH `lane` AS (
  SELECT
    *
  FROM `takings`
)
SELECT
  `route` AS `route`,
  `day` AS `day`,
  `amount` AS `amount`
FROM `lane`
