import { type RefObject, useEffect, useRef, useState } from 'react'

/** Width of an element, kept up to date. */
export function useWidth<Element extends HTMLElement>(): [number, RefObject<Element | null>] {
  const box = useRef<Element>(null)
  const [width, setWidth] = useState(1280)
  useEffect(() => {
    const element = box.current
    if (!element) return
    const observer = new ResizeObserver(([entry]) => setWidth(Math.round(entry!.contentRect.width)))
    observer.observe(element)
    return () => observer.disconnect()
  }, [])
  return [width, box]
}
