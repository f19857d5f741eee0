"""workers"""
